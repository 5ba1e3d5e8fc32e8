<script setup lang="ts">
import { mdiLogout, mdiThemeLightDark } from '@mdi/js'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { useTheme } from 'vuetify'
import { signOut } from '../api/client'
import { may, myName } from '../api/me'

const route = useRoute()
const theme = useTheme()
const signingIn = computed(() => route.path === '/sign-in')
const places = computed(() => [
  { to: '/', text: 'Overview' },
  { to: '/services', text: 'Services' },
  { to: '/orders', text: 'Orders' },
  { to: '/devices', text: 'Devices' },
  { to: '/map', text: 'Map' },
  ...(may('administer') ? [{ to: '/installation', text: 'Installation' }] : []),
])

function turnTheme() {
  const next = theme.global.name.value === 'day' ? 'night' : 'day'
  theme.change(next)
  localStorage.setItem('theme', next)
}
</script>

<template>
  <v-app>
    <v-app-bar v-if="!signingIn" flat border="b" height="56">
      <router-link to="/" class="brand">rilvan</router-link>
      <nav aria-label="Pages">
        <v-btn v-for="place in places" :key="place.to" :to="place.to" :exact="place.to === '/'" variant="text">{{ place.text }}</v-btn>
      </nav>
      <v-spacer />
      <v-btn v-if="may('prepare')" to="/order" color="primary" variant="flat" class="mr-2">New order</v-btn>
      <v-btn :icon="mdiThemeLightDark" aria-label="Light or dark" @click="turnTheme" />
      <v-btn :icon="mdiLogout" aria-label="Sign out" :title="'Sign out ' + myName()" @click="signOut" />
    </v-app-bar>
    <v-main>
      <div class="page"><router-view :key="route.path" /></div>
    </v-main>
  </v-app>
</template>

<style scoped>
.brand {
  font-family: 'Roboto Mono', monospace;
  font-size: 1.25rem;
  text-decoration: none;
  margin: 0 24px;
  letter-spacing: 0.02em;
}
.page {
  max-width: 1240px;
  margin: 0 auto;
  padding: 24px;
}
nav {
  display: flex;
  gap: 4px;
}
</style>
