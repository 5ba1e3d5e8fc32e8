<script setup lang="ts">
import { computed, onMounted, ref, useTemplateRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, data, Refusal, signIn } from '../api/client'
import { errorText } from '../labels/labels'

const route = useRoute()
const router = useRouter()
const user = ref('')
const password = ref('')
const fault = ref('')
const busy = ref(false)
const provider = ref('')

/** Why nobody came back signed in from the identity provider. */
const REFUSED: Record<string, string> = {
  away: 'The identity provider does not answer. Try again, or sign in with a password.',
  'no-role': 'Your groups at the identity provider give you no role here. Somebody who administers Rilvan can tell which do.',
  'not-active': 'Your account here is not active.',
  name: 'There is another account of your name here. Somebody who administers people can tell more.',
  settings: 'The settings of Rilvan give your groups something that cannot be given. Its log says what.',
}
const refused = computed(() => (route.query.refused ? (REFUSED[String(route.query.refused)] ?? 'The identity provider did not sign you in.') : ''))
const first = useTemplateRef<{ focus: () => void }>('first')

// At once, not by `autofocus`, which the field heeds only once it is visible: by then a quick typist is at the password, and it would be taken away.
onMounted(async () => {
  first.value?.focus()
  provider.value = (await data(api.GET('/api/v1/sign-in-ways')).catch(() => null))?.openid ?? ''
})

async function enter() {
  busy.value = true
  fault.value = ''
  try {
    await signIn(user.value, password.value)
    const to = String(route.query.to ?? '/')
    await router.push(to.startsWith('/') && !to.startsWith('//') ? to : '/')
  } catch (error) {
    fault.value = error instanceof Refusal && error.status === 401 ? 'This user and password do not fit.' : errorText(error)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <v-card class="box" max-width="380">
    <v-card-item
      ><div class="brand">rilvan</div>
      <div class="quiet">Network services: shown first, whole or not at all, proven.</div></v-card-item
    >
    <v-card-text>
      <v-alert v-if="refused" type="warning" variant="tonal" density="compact" class="mb-4">{{ refused }}</v-alert>
      <v-form @submit.prevent="enter">
        <v-text-field ref="first" v-model="user" label="User" autocomplete="username" />
        <v-text-field v-model="password" label="Password" type="password" autocomplete="current-password" :error-messages="fault" />
        <v-btn type="submit" color="primary" variant="flat" block :loading="busy">Sign in</v-btn>
      </v-form>
      <v-btn v-if="provider" href="/openid/start" variant="outlined" block class="mt-3">{{ provider }}</v-btn>
    </v-card-text>
  </v-card>
</template>

<style scoped>
.box {
  margin: 12vh auto 0;
  padding: 12px;
}
.brand {
  font-family: 'Roboto Mono', monospace;
  font-size: 1.75rem;
  color: rgb(var(--v-theme-primary));
}
</style>
