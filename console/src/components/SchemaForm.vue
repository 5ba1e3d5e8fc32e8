<script setup lang="ts">
import { mdiClose, mdiPlus } from '@mdi/js'
import { computed } from 'vue'
import type { Device, FieldError, Schema } from '../api/types'
import { choices, empty, speaks } from './form'

/** A form made from a JSON Schema; it knows what refers to devices and ports, and which fields the service has refused. */
const props = defineProps<{
  schema: Schema
  name: string
  pointer: string
  devices: Device[]
  errors: FieldError[]
  around?: Record<string, unknown>
  needed?: boolean
}>()
const value = defineModel<any>({ required: true })

const upfront = (key: string) => Boolean(props.schema.required?.includes(key) || props.schema.properties![key].upfront)

/** Fields that may be left out are folded away, unless one of them has a value or was refused. */
const folded = computed(() => Object.keys(props.schema.properties ?? {}).filter((key) => !upfront(key)))
const shown = computed(() => Object.keys(props.schema.properties ?? {}).filter(upfront))
const unfold = computed(
  () =>
    !shown.value.length ||
    folded.value.some(
      (key) => speaks(props.schema.properties![key], value.value?.[key]) || props.errors.some((fault) => fault.pointer.startsWith(props.pointer + '/' + key)),
    ),
)

const label = computed(() => props.schema.title ?? props.name)
const faults = computed(() => props.errors.filter((fault) => fault.pointer === props.pointer).map((fault) => fault.detail))
const offered = computed(() => choices(props.schema, props.devices, props.around ?? {}))
const example = computed(() => (props.schema.examples?.length ? String(props.schema.examples[0]) : ''))

const isWide = (schema: Schema) => schema.type === 'array' || schema.type === 'object'

function number(text: string) {
  value.value = text === '' ? undefined : Number.isInteger(Number(text)) ? Number(text) : text
}
</script>

<template>
  <div v-if="schema.type === 'object'">
    <div v-if="!needed && schema.title" class="font-weight-medium mb-1">{{ schema.title }}</div>
    <div class="group">
      <SchemaForm
        v-for="key in shown"
        :key="key"
        v-model="value[key]"
        :schema="schema.properties![key]"
        :name="key"
        :pointer="pointer + '/' + key"
        :devices="devices"
        :errors="errors"
        :around="value"
        :needed="schema.required?.includes(key)"
        :class="{ wide: isWide(schema.properties![key]) }"
      />
    </div>
    <details v-if="folded.length" :open="unfold">
      <summary>
        {{ shown.length ? 'More' : 'Fields' }}: <span class="quiet">{{ folded.map((key) => schema.properties![key].title ?? key).join(', ') }}</span>
      </summary>
      <div class="group mt-2">
        <SchemaForm
          v-for="key in folded"
          :key="key"
          v-model="value[key]"
          :schema="schema.properties![key]"
          :name="key"
          :pointer="pointer + '/' + key"
          :devices="devices"
          :errors="errors"
          :around="value"
          :class="{ wide: isWide(schema.properties![key]) }"
        />
      </div>
    </details>
    <div v-if="faults.length" class="text-error">{{ faults.join('; ') }}</div>
  </div>
  <div v-else-if="schema.type === 'array'" class="mb-2">
    <div class="d-flex align-center mb-2">
      <span class="font-weight-medium">{{ label }}</span>
      <span class="quiet ml-3 text-body-small">{{ schema.description }}</span>
    </div>
    <div v-for="(_, i) in value" :key="i" class="item">
      <SchemaForm
        v-model="value[i]"
        :schema="schema.items!"
        :name="label + ' ' + (Number(i) + 1)"
        :pointer="pointer + '/' + i"
        :devices="devices"
        :errors="errors"
        :around="around"
        needed
        class="flex-grow-1"
      />
      <v-btn
        :icon="mdiClose"
        size="small"
        variant="text"
        :aria-label="'Remove ' + (schema.title ?? name) + ' ' + (Number(i) + 1)"
        @click="value.splice(Number(i), 1)"
      />
    </div>
    <v-btn :prepend-icon="mdiPlus" size="small" variant="tonal" @click="value.push(empty(schema.items!))"
      >Add to {{ (schema.title ?? name).toLowerCase() }}</v-btn
    >
    <div v-if="faults.length" class="text-error mt-2">{{ faults.join('; ') }}</div>
  </div>
  <v-autocomplete v-else-if="offered" v-model="value" :items="offered" :label="label" :hint="schema.description" :error-messages="faults" />
  <v-checkbox v-else-if="schema.type === 'boolean'" v-model="value" :label="label" :error-messages="faults" />
  <v-text-field
    v-else-if="schema.type === 'integer'"
    :model-value="value"
    :label="label"
    :hint="schema.description"
    :placeholder="example"
    :error-messages="faults"
    inputmode="numeric"
    @update:model-value="number"
  />
  <v-text-field v-else v-model="value" :label="label" :hint="schema.description" :placeholder="example" :error-messages="faults" />
</template>

<style scoped>
.group {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 4px 16px;
}
details {
  margin: 4px 0 12px;
}
summary {
  cursor: pointer;
}
/* What is in details inherits from the browser's own slot, which no style sheet of ours reaches. */
details > * {
  box-sizing: border-box;
}
.wide {
  grid-column: 1 / -1;
}
.item {
  display: flex;
  align-items: flex-start;
  gap: 8px;
  border-left: 3px solid rgba(var(--v-theme-primary), 0.4);
  padding: 12px 0 4px 16px;
  margin-bottom: 12px;
}
</style>
