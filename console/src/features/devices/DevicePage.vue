<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { useRoute } from 'vue-router'
import { api, data } from '../../api/client'
import { may } from '../../api/me'
import type { DeviceDetail, Explained, Setting } from '../../api/types'
import { oneLine, time } from '../../labels/labels'
import ErrorAlert from '../../components/ErrorAlert.vue'
import DriftList from '../../components/DriftList.vue'
import FieldValues from '../../components/FieldValues.vue'

const props = defineProps<{ name: string }>()
const detail = ref<DeviceDetail | null>(null)
const configuration = ref('')
const tab = ref('managed')
const route = useRoute()
const settings = ref<Setting[]>([])
const asked = ref('')
const explained = ref<Explained[]>([])
const error = ref<unknown>(null)
const told = ref('')
const busy = ref(false)

async function load() {
  detail.value = await data(api.GET('/api/v1/devices/{name}', { params: { path: props } }))
  settings.value = await data(api.GET('/api/v1/devices/{name}/settings', { params: { path: props } }))
  if (route.query.explain) {
    tab.value = 'explain'
    await explain(String(route.query.explain))
  }
  configuration.value = detail.value.device.readAt
    ? await data(api.GET('/api/v1/devices/{name}/configuration', { params: { path: props }, parseAs: 'text' }))
    : ''
}

async function explain(what: string) {
  asked.value = what
  error.value = null
  try {
    explained.value = await data(api.GET('/api/v1/devices/{name}/explanation', { params: { path: props, query: { of: what } } }))
  } catch (fault) {
    explained.value = []
    error.value = fault
  }
}

/** Explains a node or a line on the page for that. */
function show(what: string) {
  tab.value = 'explain'
  explain(what)
}

async function read() {
  busy.value = true
  error.value = null
  try {
    const answer = await data(api.POST('/api/v1/devices/{name}/readings', { params: { path: props } }))
    const changes = Object.entries(answer.changes)
    told.value = changes.length
      ? 'Changed outside Rilvan: ' + changes.map(([path, kind]) => `${path} (${kind})`).join(', ')
      : 'Read: no change since the last reading.'
    await load()
  } catch (fault) {
    error.value = fault
  } finally {
    busy.value = false
  }
}

onMounted(() => load().catch((fault) => (error.value = fault)))
</script>

<template>
  <ErrorAlert v-if="error" :error="error" />
  <template v-if="detail">
    <div class="d-flex align-center mb-4">
      <div>
        <h1 class="text-headline-small">{{ name }}</h1>
        <div class="quiet">
          {{ detail.device.role }} in {{ detail.device.site }}, {{ detail.device.family }} at {{ detail.device.address }}; read
          {{ time(detail.device.readAt) || 'never' }}
        </div>
        <div class="quiet mono">{{ detail.hostKey ?? 'host key not trusted' }}</div>
      </div>
      <v-spacer />
      <v-btn v-if="may('run', true)" variant="tonal" :loading="busy" @click="read">Read now</v-btn>
    </div>
    <DriftList :drift="detail.drift" @decided="load" />
    <v-alert v-if="told" type="info" variant="tonal" class="mb-4" closable @click:close="told = ''">{{ told }}</v-alert>
    <v-card>
      <v-tabs v-model="tab"
        ><v-tab value="managed">Managed nodes</v-tab><v-tab value="explain">Explain</v-tab><v-tab value="settings">Settings</v-tab
        ><v-tab value="configuration">Configuration</v-tab></v-tabs
      >
      <table v-if="tab === 'managed' && detail.managed.length" class="plain">
        <thead>
          <tr>
            <th>node</th>
            <th>ordered</th>
            <th>before</th>
            <th>service</th>
            <th>clause</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="managed in detail.managed" :key="managed.path">
            <td class="mono">
              <a href="#" @click.prevent="show(managed.path)">{{ managed.path }}</a>
            </td>
            <td class="mono">{{ managed.value }}</td>
            <td class="mono">{{ managed.prior === null ? '' : managed.prior === managed.value ? 'same value' : managed.prior }}</td>
            <td>
              <div v-for="owner in managed.owners" :key="owner.service + owner.origin">
                <router-link :to="'/services/' + owner.service">{{ owner.service }}</router-link>
              </div>
            </td>
            <td>
              <div v-for="owner in managed.owners" :key="owner.service + owner.origin">
                {{ owner.clause }} <span class="quiet">({{ owner.model }}, {{ owner.origin }})</span>
              </div>
            </td>
          </tr>
        </tbody>
      </table>
      <v-card-text v-else-if="tab === 'managed'">No managed nodes.</v-card-text>
      <v-card-text v-else-if="tab === 'explain'">
        <v-form @submit.prevent="explain(asked)">
          <v-text-field
            v-model="asked"
            label="Which service put this line here, and why?"
            placeholder="A line as the device shows it, or a path"
            hint="For example: a line of the configuration, copied"
          />
        </v-form>
        <div v-for="each in explained" :key="each.path" class="mt-4">
          <div class="mono font-weight-medium">
            {{ each.path }}<span v-if="each.value"> = {{ each.value }}</span>
            <span v-if="each.drift" class="text-error"> {{ each.drift }}</span>
          </div>
          <div v-if="!each.because.length" class="quiet">Not managed: no service put it there.</div>
          <div v-for="reason in each.because" :key="reason.owner.service + reason.owner.origin" class="reason">
            <div v-if="!reason.owner.model">another tenant</div>
            <div v-else>
              service <router-link :to="'/services/' + reason.owner.service">{{ reason.owner.service }}</router-link> of {{ reason.tenant }}, clause
              <b>{{ reason.owner.clause }}</b> <span class="quiet">({{ reason.owner.model }}, {{ reason.owner.origin }})</span>, template
              <span class="mono">{{ reason.owner.template }}</span>
            </div>
            <div v-if="reason.parameter">
              from parameter <span class="mono">{{ reason.parameter }}</span>
            </div>
            <FieldValues :values="reason.said" />
            <div v-for="setting in reason.settings" :key="setting.name" class="quiet">
              setting {{ setting.name }} = {{ oneLine(setting.value) }}, from {{ setting.from }}
            </div>
          </div>
          <div v-if="each.prior !== null" class="quiet">
            Value before: <span class="mono">{{ each.prior }}</span>. It is restored when the last service is removed.
          </div>
        </div>
      </v-card-text>
      <table v-else-if="tab === 'settings'" class="plain">
        <thead>
          <tr>
            <th>setting</th>
            <th>value</th>
            <th>from</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="setting in settings" :key="setting.name">
            <td>{{ setting.name }}</td>
            <td class="mono">{{ oneLine(setting.value) }}</td>
            <td>{{ setting.from }}</td>
          </tr>
        </tbody>
      </table>
      <div v-else class="native-links mono">
        <a v-for="(line, i) in (configuration || 'never read').split('\n')" :key="i" href="#" title="Explain this line" @click.prevent="show(line.trim())">{{
          line
        }}</a>
      </div>
    </v-card>
  </template>
</template>

<style scoped>
.reason {
  border-left: 3px solid rgba(var(--v-theme-primary), 0.4);
  padding: 2px 0 2px 12px;
  margin: 8px 0;
}
</style>
