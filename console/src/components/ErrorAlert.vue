<script setup lang="ts">
import { Refusal } from '../api/client'
import { errorText } from '../labels/labels'

defineProps<{ error: unknown }>()
</script>

<template>
  <v-alert type="error" variant="tonal" class="my-4" role="alert">
    <div class="font-weight-medium">{{ errorText(error) }}</div>
    <ul v-if="error instanceof Refusal && error.errors.length" class="mt-2 ml-4">
      <li v-for="fault in error.errors" :key="fault.pointer + fault.detail">
        <span v-if="fault.pointer" class="mono">{{ fault.pointer }}</span> {{ fault.detail }}
      </li>
    </ul>
  </v-alert>
</template>
