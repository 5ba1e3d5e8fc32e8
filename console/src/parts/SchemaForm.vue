<script setup lang="ts">
import { mdiClose, mdiPlus } from '@mdi/js'
import { computed } from 'vue'
import type { Device, Mend, Schema } from '../api/types'
import { choices, empty } from './form'

/** A form made from a JSON Schema; it knows what refers to devices and ports, and where a value has to be mended. */
const props = defineProps<{ schema: Schema; name: string; pointer: string; devices: Device[]; mends: Mend[]; around?: Record<string, unknown>; needed?: boolean }>()
const value = defineModel<any>({ required: true })

const label = computed(() => (props.schema.title ?? props.name) + (props.needed ? '' : ' (may be left out)'))
const faults = computed(() => props.mends.filter((mend) => mend.pointer === props.pointer).map((mend) => mend.detail))
const offered = computed(() => choices(props.schema, props.devices, props.around ?? {}))
const example = computed(() => (props.schema.examples?.length ? String(props.schema.examples[0]) : ''))

function number(text: string) {
  value.value = text === '' ? undefined : Number.isInteger(Number(text)) ? Number(text) : text
}
</script>

<template>
  <div v-if="schema.type === 'object'" class="group">
    <SchemaForm v-for="(property, key) in schema.properties" :key="key" v-model="value[key]" :schema="property" :name="String(key)"
      :pointer="pointer + '/' + key" :devices="devices" :mends="mends" :around="value" :needed="schema.required?.includes(String(key))"
      :class="{ wide: property.type === 'array' }" />
    <div v-if="faults.length" class="wide text-error">{{ faults.join('; ') }}</div>
  </div>
  <div v-else-if="schema.type === 'array'">
    <div class="d-flex align-center mb-2">
      <span class="font-weight-medium">{{ label }}</span>
      <span class="quiet ml-3 text-body-small">{{ schema.description }}</span>
    </div>
    <div v-for="(_, i) in value" :key="i" class="item">
      <SchemaForm v-model="value[i]" :schema="schema.items!" :name="label + ' ' + (Number(i) + 1)" :pointer="pointer + '/' + i" :devices="devices"
        :mends="mends" :around="around" needed class="flex-grow-1" />
      <v-btn :icon="mdiClose" size="small" variant="text" :aria-label="'Remove ' + (schema.title ?? name) + ' ' + (Number(i) + 1)" @click="value.splice(Number(i), 1)" />
    </div>
    <v-btn :prepend-icon="mdiPlus" size="small" variant="tonal" @click="value.push(empty(schema.items!))">Add to {{ (schema.title ?? name).toLowerCase() }}</v-btn>
    <div v-if="faults.length" class="text-error mt-2">{{ faults.join('; ') }}</div>
  </div>
  <v-autocomplete v-else-if="offered" v-model="value" :items="offered" :label="label" :hint="schema.description" :error-messages="faults" />
  <v-checkbox v-else-if="schema.type === 'boolean'" v-model="value" :label="label" :error-messages="faults" />
  <v-text-field v-else-if="schema.type === 'integer'" :model-value="value" :label="label" :hint="schema.description" :placeholder="example"
    :error-messages="faults" inputmode="numeric" @update:model-value="number" />
  <v-text-field v-else v-model="value" :label="label" :hint="schema.description" :placeholder="example" :error-messages="faults" />
</template>

<style scoped>
.group { display: grid; grid-template-columns: repeat(3, 1fr); gap: 4px 16px; }
.wide { grid-column: 1 / -1; }
.item { display: flex; align-items: flex-start; gap: 8px; border-left: 3px solid rgba(var(--v-theme-primary), 0.4); padding: 12px 0 4px 16px; margin-bottom: 12px; }
</style>
