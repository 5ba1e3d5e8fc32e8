<script setup lang="ts">
import { computed, onMounted, onUnmounted, ref } from 'vue'
import { api, data } from '../../api/client'
import type { Part } from '../../api/types'
import ErrorAlert from '../../components/ErrorAlert.vue'
import { conditions } from './conditions'

const EVERY_MILLIS = 10_000

const parts = ref<Part[] | null>(null)
const lookedAt = ref('')
const error = ref<unknown>(null)

// What is worst comes first; the rest stays in its order.
const shown = computed(() => [...(parts.value ?? [])].sort((one, other) => conditions[one.condition].rank - conditions[other.condition].rank))
const unwell = computed(() => (parts.value ?? []).filter((part) => part.condition !== 'WELL').length)

async function look() {
  try {
    parts.value = await data(api.GET('/api/v1/installation'))
    lookedAt.value = new Date().toLocaleTimeString('en-GB')
    error.value = null
  } catch (fault) {
    error.value = fault
  }
}

let timer: ReturnType<typeof setInterval> | undefined
onMounted(() => {
  look()
  timer = setInterval(look, EVERY_MILLIS)
})
onUnmounted(() => clearInterval(timer))
</script>

<template>
  <ErrorAlert v-if="error" :error="error" />
  <v-card v-if="parts">
    <v-card-title class="d-flex align-center">
      {{
        unwell ? (unwell === 1 ? 'One part of the installation is not well' : unwell + ' parts of the installation are not well') : 'The installation is well'
      }}
      <v-spacer /><span class="looked quiet">looked at {{ lookedAt }}, by the instance that answered</span>
    </v-card-title>
    <table class="plain">
      <thead>
        <tr>
          <th>part</th>
          <th>state</th>
          <th>found</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="part in shown" :key="part.part">
          <td class="part">{{ part.part }}</td>
          <td>
            <v-chip :color="conditions[part.condition].colour" size="small" variant="tonal">{{ conditions[part.condition].text }}</v-chip>
          </td>
          <td>
            {{ part.found }}
            <div v-if="part.advice" class="advice">{{ part.advice }}</div>
          </td>
        </tr>
      </tbody>
    </table>
  </v-card>
</template>

<style scoped>
.part {
  white-space: nowrap;
}
.advice {
  font-weight: 500;
}
.looked {
  font-size: 0.8125rem;
}
</style>
