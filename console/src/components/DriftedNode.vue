<script setup lang="ts">
import type { DriftedNode } from '../api/types'

/** What a managed node is on its device, and what it was ordered to be. */
defineProps<{ node: DriftedNode }>()
</script>

<template>
  <span class="drifted">
    <router-link :to="{ path: '/devices/' + node.device, query: { explain: node.path } }">{{ node.device }}</router-link>
    <span class="mono">&nbsp;{{ node.path }}</span>
    <template v-if="node.found === null"> is gone</template>
    <template v-else>
      is <span class="mono">{{ node.found || 'there' }}</span></template
    ><template v-if="node.ordered === null">; it was not ordered, in what is of</template
    ><template v-else-if="node.ordered"
      >; ordered: <span class="mono">{{ node.ordered }}</span></template
    >
    <span class="quiet"> {{ node.ordered === null ? '' : 'for ' }}{{ node.services.join(', ') }}</span>
  </span>
</template>

<style scoped>
.drifted,
.drifted .quiet {
  color: rgb(var(--v-theme-on-surface));
}
</style>
