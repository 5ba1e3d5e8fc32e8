<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { api, data } from '../../api/client'
import type { Order } from '../../api/types'
import ErrorAlert from '../../components/ErrorAlert.vue'
import OrderList from './OrderList.vue'

const orders = ref<Order[] | null>(null)
const search = ref('')
const error = ref<unknown>(null)
const found = computed(() =>
  (orders.value ?? []).filter((order) =>
    (order.reason + ' ' + order.who + ' ' + order.services.map((each) => each.service).join(' ')).toLowerCase().includes(search.value.toLowerCase()),
  ),
)

onMounted(() =>
  data(api.GET('/api/v1/orders', { params: { query: { limit: 200 } } })).then(
    (all) => (orders.value = all),
    (fault) => (error.value = fault),
  ),
)
</script>

<template>
  <ErrorAlert v-if="error" :error="error" />
  <v-card v-if="orders">
    <v-card-title class="d-flex align-center">Orders<v-spacer /><v-text-field v-model="search" label="Search" hide-details max-width="260" /></v-card-title>
    <OrderList :orders="found" />
  </v-card>
</template>
