<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { all, api, data } from '../../api/client'
import type { Device, LinkResult } from '../../api/types'
import ErrorAlert from '../../components/ErrorAlert.vue'
import { places } from './map'

const router = useRouter()
const devices = ref<Device[]>([])
const links = ref<LinkResult[]>([])
const comparing = ref(false)
const compared = ref(false)
const error = ref<unknown>(null)

const spots = computed(() => places(devices.value))
const differing = computed(() => links.value.filter((link) => link.differences.length))
const end = (text: string) => spots.value[text.split(' ')[0]]
const drawn = computed(() => links.value.filter((link) => end(link.a) && end(link.b)))
const state = (link: LinkResult) => (!compared.value ? 'unknown' : !link.up ? 'down' : link.differences.length ? 'differing' : 'up')

/** Compares both ends of every link now. */
async function compare() {
  comparing.value = true
  error.value = null
  try {
    links.value = await data(api.POST('/api/v1/network/checks'))
    compared.value = true
  } catch (fault) {
    error.value = fault
  } finally {
    comparing.value = false
  }
}

onMounted(async () => {
  try {
    const [found, network] = await Promise.all([all((query) => api.GET('/api/v1/devices', { params: { query } })), data(api.GET('/api/v1/network'))])
    devices.value = found
    const name = (place: { device: string; port: string }) => place.device + ' ' + place.port
    links.value = network.links.map((link) => ({ a: name(link.a), b: name(link.b), up: false, differences: [] }))
    await compare()
  } catch (fault) {
    error.value = fault
  }
})
</script>

<template>
  <ErrorAlert v-if="error" :error="error" />
  <div class="d-flex align-center mb-4">
    <h1 class="text-headline-small">Map</h1>
    <span class="ml-4">
      <span v-if="comparing" class="quiet">comparing both ends of every link …</span>
      <span v-else-if="compared && !differing.length" class="text-success">All {{ links.length }} links are up and agree.</span>
      <span v-else-if="compared" class="text-error">{{ differing.length }} of {{ links.length }} links are down or differ.</span>
    </span>
    <v-spacer />
    <v-btn size="small" variant="tonal" :loading="comparing" @click="compare">Compare again</v-btn>
  </div>
  <v-alert
    v-for="link in differing"
    :key="link.a"
    :type="link.up ? 'warning' : 'error'"
    variant="tonal"
    density="compact"
    class="mb-2"
    :title="link.a + ' to ' + link.b"
  >
    <div v-for="text in link.differences" :key="text">{{ text }}</div>
  </v-alert>
  <v-card>
    <svg viewBox="0 0 1000 740" role="img" aria-label="Map of devices and links">
      <line
        v-for="link in drawn"
        :key="link.a"
        :x1="end(link.a).x"
        :y1="end(link.a).y"
        :x2="end(link.b).x"
        :y2="end(link.b).y"
        class="link"
        :class="state(link)"
      >
        <title>{{ link.a }} to {{ link.b }}{{ link.differences.length ? ': ' + link.differences.join('; ') : '' }}</title>
      </line>
      <g
        v-for="device in devices"
        :key="device.name"
        class="device"
        :class="device.role"
        :transform="`translate(${spots[device.name].x} ${spots[device.name].y})`"
        tabindex="0"
        role="link"
        :aria-label="device.name"
        @click="router.push('/devices/' + device.name)"
        @keydown.enter="router.push('/devices/' + device.name)"
      >
        <rect v-if="device.role === 'ce'" x="-7" y="-7" width="14" height="14" rx="2" />
        <circle v-else r="9" />
        <text y="24">{{ device.name }}</text>
        <title>{{ device.name }}, {{ device.role }}, {{ device.site }}{{ device.services.length ? ': ' + device.services.join(', ') : '' }}</title>
      </g>
    </svg>
  </v-card>
  <div class="quiet mt-2">Round: provider devices. Square: customer devices. Click a device to open it.</div>
</template>

<style scoped>
svg {
  display: block;
  width: 100%;
  max-height: 560px;
}
.link {
  stroke-width: 2.5;
  stroke: rgba(128, 128, 128, 0.5);
}
.link.up {
  stroke: rgb(var(--v-theme-success));
}
.link.differing {
  stroke: rgb(var(--v-theme-warning));
  stroke-width: 4;
}
.link.down {
  stroke: rgb(var(--v-theme-error));
  stroke-width: 4;
  stroke-dasharray: 8 6;
}
.device {
  cursor: pointer;
}
.device circle,
.device rect {
  fill: rgb(var(--v-theme-primary));
  stroke: rgb(var(--v-theme-surface));
  stroke-width: 3;
}
.device.ce rect {
  fill: rgb(var(--v-theme-secondary));
}
.device:hover circle,
.device:hover rect,
.device:focus circle,
.device:focus rect {
  stroke: rgb(var(--v-theme-on-surface));
}
.device text {
  font-size: 13px;
  text-anchor: middle;
  fill: rgb(var(--v-theme-on-surface));
  paint-order: stroke;
  stroke: rgb(var(--v-theme-surface));
  stroke-width: 4px;
}
</style>
