<script setup lang="ts">
import { Refusal } from '../api/client'
import { errorText } from '../api/words'

defineProps<{ error: unknown }>()
</script>

<template>
  <v-alert type="error" variant="tonal" class="my-4" role="alert">
    <div class="font-weight-medium">{{ errorText(error) }}</div>
    <ul v-if="error instanceof Refusal && error.mends.length" class="mt-2 ml-4">
      <li v-for="mend in error.mends" :key="mend.pointer + mend.detail">
        <span v-if="mend.pointer" class="mono">{{ mend.pointer }}</span> {{ mend.detail }}
      </li>
    </ul>
  </v-alert>
</template>
