<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { all, api, data, page, type Page } from '../../api/client'
import { may } from '../../api/me'
import type { Device, Failing, Library, Order, Part, ServiceHead } from '../../api/types'
import { ended, time } from '../../labels/labels'
import ErrorAlert from '../../components/ErrorAlert.vue'
import OrderList from '../orders/OrderList.vue'

const orders = ref<Order[] | null>(null)
const devices = ref<Device[]>([])
const services = ref<Page<ServiceHead>>({ items: [], next: null })
const failing = ref<Failing[]>([])
const library = ref<Pick<Library, 'problems'>>({ problems: [] })
const parts = ref<Part[]>([])
const error = ref<unknown>(null)

const running = computed(() => (orders.value ?? []).filter((order) => !ended(order.state)))
const needs = computed<{ to: string; text: string }[]>(() => [
  ...running.value.filter((order) => order.inDoubt).map((order) => ({ to: '/orders/' + order.id, text: `Order ${order.id} is in doubt about a device` })),
  ...failing.value.map((each) => ({
    to: '/services/' + each.service,
    text: each.failures
      ? `${each.service} fails (checked ${time(each.checkedAt)}): ${each.failures.split('; ')[0]}`
      : `${each.service} is out of date: it ${each.outOfDate}`,
  })),
  ...devices.value
    .filter((device) => device.drifted)
    .map((device) => ({ to: '/devices/' + device.name, text: `${device.name}: drift, ${device.drifted} managed ${device.drifted === 1 ? 'node' : 'nodes'}` })),
  ...devices.value.filter((device) => !device.trusted).map((device) => ({ to: '/devices/' + device.name, text: `${device.name}: host key not trusted` })),
  ...devices.value
    .filter((device) => device.trusted && !device.readAt)
    .map((device) => ({ to: '/devices/' + device.name, text: `${device.name}: never read` })),
  ...parts.value.filter((part) => part.condition !== 'WELL').map((part) => ({ to: '/installation', text: `Installation, ${part.part}: ${part.found}` })),
  ...library.value.problems.map((problem) => ({ to: '', text: `${problem.where}: ${problem.message}` })),
])

onMounted(async () => {
  try {
    ;[orders.value, devices.value, services.value] = await Promise.all([
      data(api.GET('/api/v1/orders', { params: { query: { limit: 10 } } })),
      all((query) => api.GET('/api/v1/devices', { params: { query } })),
      page(api.GET('/api/v1/services')),
    ])
    ;[failing.value, library.value, parts.value] = await Promise.all([
      data(api.GET('/api/v1/failing-services')),
      data(api.GET('/api/v1/library')),
      may('administer') ? data(api.GET('/api/v1/installation')) : [],
    ])
  } catch (fault) {
    error.value = fault
  }
})
</script>

<template>
  <ErrorAlert v-if="error" :error="error" />
  <template v-if="orders">
    <v-card class="mb-6">
      <v-card-title>Needs attention</v-card-title>
      <v-card-text>
        <div v-if="!needs.length">
          Nothing. {{ devices.length }} devices, {{ services.next ? 'more than ' : '' }}{{ services.items.length }}
          {{ services.items.length === 1 ? 'service' : 'services' }}, {{ running.length || 'no' }} running {{ running.length === 1 ? 'order' : 'orders' }}.
        </div>
        <ul v-else class="ml-5">
          <li v-for="need in needs" :key="need.text">
            <router-link v-if="need.to" :to="need.to">{{ need.text }}</router-link>
            <template v-else>{{ need.text }}</template>
          </li>
        </ul>
      </v-card-text>
    </v-card>
    <v-card>
      <v-card-title>Latest orders</v-card-title>
      <OrderList :orders="orders" />
    </v-card>
  </template>
</template>
