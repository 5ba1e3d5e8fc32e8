<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { get } from '../api/client'
import type { Ailing, Device, Order, Service } from '../api/types'
import { ended, time } from '../api/words'
import Mends from '../parts/Mends.vue'
import OrderList from '../parts/OrderList.vue'

const orders = ref<Order[] | null>(null)
const devices = ref<Device[]>([])
const services = ref<Service[]>([])
const ailing = ref<Ailing[]>([])
const error = ref<unknown>(null)

const under = computed(() => (orders.value ?? []).filter((order) => !ended(order.state)))
const needs = computed(() => [
  ...under.value.filter((order) => order.inDoubt).map((order) => ({ to: '/orders/' + order.id, text: `Order ${order.id} has a device in doubt: it is held, and tried again` })),
  ...ailing.value.map((each) => ({ to: '/services/' + each.service, text: `${each.service} does not work (seen ${time(each.at)}): ${each.wrong.split('; ')[0]}` })),
  ...devices.value.filter((device) => !device.trusted).map((device) => ({ to: '/devices/' + device.name, text: `${device.name}: its host key is not trusted yet` })),
  ...devices.value.filter((device) => device.trusted && !device.readAt).map((device) => ({ to: '/devices/' + device.name, text: `${device.name} has never been read` })),
])

onMounted(async () => {
  try {
    ;[orders.value, devices.value, services.value] = await Promise.all([
      get<Order[]>('/orders?limit=10'), get<Device[]>('/devices'), get<Service[]>('/services'),
    ])
    ailing.value = await get<Ailing[]>('/network/ailing')
  } catch (fault) {
    error.value = fault
  }
})
</script>

<template>
  <Mends v-if="error" :error="error" />
  <template v-if="orders">
    <v-card class="mb-6">
      <v-card-title>What needs a hand</v-card-title>
      <v-card-text>
        <div v-if="!needs.length">Nothing. {{ devices.length }} devices are known and trusted, {{ services.length }} {{ services.length === 1 ? 'service stands' : 'services stand' }},
          {{ under.length ? under.length + (under.length === 1 ? ' order is under way.' : ' orders are under way.') : 'no order is under way.' }}</div>
        <ul v-else class="ml-5"><li v-for="need in needs" :key="need.text"><router-link :to="need.to">{{ need.text }}</router-link></li></ul>
      </v-card-text>
    </v-card>
    <v-card>
      <v-card-title>Latest orders</v-card-title>
      <OrderList :orders="orders" />
    </v-card>
  </template>
</template>
