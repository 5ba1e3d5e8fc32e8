<script setup lang="ts">
import type { Order } from '../../api/types'
import { kinds, time, told } from '../../labels/labels'
import OrderState from './OrderState.vue'

defineProps<{ orders: Order[] }>()
</script>

<template>
  <table v-if="orders.length" class="plain">
    <thead>
      <tr>
        <th>order</th>
        <th>when</th>
        <th>state</th>
        <th>services</th>
        <th>reason</th>
        <th>by</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="order in orders" :key="order.id">
        <td>
          <router-link :to="'/orders/' + order.id">{{ order.id }}</router-link>
        </td>
        <td class="text-no-wrap">{{ time(order.createdAt) }}</td>
        <td><OrderState :state="order.state" :in-doubt="order.inDoubt" /></td>
        <td>
          <div v-for="each in told(order.services)" :key="each.service">
            {{ each.leftOut ? 'without' : kinds[each.kind] }} <router-link :to="'/services/' + each.service">{{ each.service }}</router-link>
          </div>
        </td>
        <td>
          {{ order.reason }}
          <div v-if="order.failure" class="failure text-error text-body-small" :title="order.failure">{{ order.failure }}</div>
        </td>
        <td>{{ order.who }}</td>
      </tr>
    </tbody>
  </table>
  <v-card-text v-else>No orders yet. <router-link to="/order">Create the first one.</router-link></v-card-text>
</template>

<style scoped>
/* The whole of it is on the order's page. */
.failure {
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
  overflow: hidden;
}
</style>
