<script setup lang="ts">
import { ref, watchEffect } from 'vue'
import { get } from '../../api/client'
import type { Service } from '../../api/types'
import ErrorAlert from '../../components/ErrorAlert.vue'

const services = ref<Service[] | null>(null)
const search = ref('')
const error = ref<unknown>(null)

watchEffect(() => {
  get<Service[]>('/services?search=' + encodeURIComponent(search.value)).then(
    (found) => (services.value = found),
    (fault) => (error.value = fault),
  )
})
</script>

<template>
  <ErrorAlert v-if="error" :error="error" />
  <v-card v-if="services">
    <v-card-title class="d-flex align-center">Services<v-spacer /><v-text-field v-model="search" label="Search" hide-details max-width="260" /></v-card-title>
    <table v-if="services.length" class="plain">
      <thead>
        <tr>
          <th>service</th>
          <th>tenant</th>
          <th>model</th>
          <th>devices</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="service in services" :key="service.name">
          <td>
            <router-link :to="'/services/' + service.name">{{ service.name }}</router-link>
          </td>
          <td>{{ service.tenant }}</td>
          <td>{{ service.model }} {{ service.modelVersion }}</td>
          <td>{{ service.devices.join(', ') }}</td>
        </tr>
      </tbody>
    </table>
    <v-card-text v-else>{{ search ? 'No service matches.' : 'No services.' }} <router-link to="/order">Create one.</router-link></v-card-text>
  </v-card>
</template>
