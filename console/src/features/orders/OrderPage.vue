<script setup lang="ts">
import { computed, onMounted, onUnmounted, ref } from 'vue'
import { api, data } from '../../api/client'
import { may } from '../../api/me'
import type { OrderDetail, Step } from '../../api/types'
import { counts, ended, kinds, time, told, words, unbegun } from '../../labels/labels'
import DeviceChanges from './DeviceChanges.vue'
import ErrorAlert from '../../components/ErrorAlert.vue'
import ProgressTable from './ProgressTable.vue'
import { folded } from './progress'
import OrderState from './OrderState.vue'
import TimeLine from './TimeLine.vue'

const props = defineProps<{ id: string }>()
const id = Number(props.id)
const detail = ref<OrderDetail | null>(null)
const steps = ref<Step[]>([])
const state = ref('')
const error = ref<unknown>(null)
let source: EventSource | null = null

const touched = computed(() =>
  Object.entries(detail.value?.devices ?? {})
    .filter(([, lines]) => lines.length)
    .map(([device]) => device),
)
const changes = computed(() => Object.fromEntries(Object.entries(detail.value?.devices ?? {}).filter(([, lines]) => lines.length)))
// The end is shown at the top.
const telling = computed(() => folded(steps.value.filter((step) => step.text && !ended(step.result))))
const back = computed(() => state.value === 'ROLLING_BACK')
const without = computed(() => detail.value?.order.services.filter((each) => each.leftOut) ?? [])
const named = computed(() => new Set(detail.value?.order.services.map((each) => each.service)))
const own = computed(() => detail.value?.checks.filter((check) => named.value.has(check.service)) ?? [])
const untouched = computed(() => detail.value?.checks.filter((check) => !named.value.has(check.service) && check.passed) ?? [])
// Of other services only the checks that fail now.
const shown = computed(() => [...own.value, ...(detail.value?.checks.filter((check) => !named.value.has(check.service) && !check.passed) ?? [])])

async function load() {
  detail.value = await data(api.GET('/api/v1/orders/{id}', { params: { path: { id } } }))
  state.value = detail.value.order.state
  steps.value = detail.value.events
}

function follow() {
  steps.value = []
  source = new EventSource('/api/v1/orders/' + props.id + '/events')
  source.addEventListener('step', (event) => steps.value.push(JSON.parse(event.data)))
  source.addEventListener('state', (event) => {
    const waited = unbegun(state.value)
    state.value = String(event.data).replaceAll('"', '')
    // An order that waited is planned when it starts: only now it is known what changes.
    if (waited) load().catch((fault) => (error.value = fault))
  })
  source.onerror = () => {
    // The service ends the stream with the order; after anything else the order is loaded again.
    source?.close()
    load().catch((fault) => (error.value = fault))
  }
}

/** Devices whose last step is in doubt. */
const doubts = computed(() => {
  const last = new Map<string, Step>()
  steps.value.forEach((step) => last.set(step.device, step))
  return ended(state.value) ? [] : [...last.values()].filter((step) => step.result === 'IN_DOUBT').map((step) => ({ name: step.device, text: step.text }))
})

async function resolve(device: string) {
  const holds = state.value === 'DECIDED' ? 'after' : 'before'
  await api
    .POST('/api/v1/orders/{id}/devices/{device}/resolutions', { params: { path: { id, device } }, body: { holds } })
    .catch((fault) => (error.value = fault))
}

async function cancel() {
  await api.POST('/api/v1/orders/{id}/cancellation', { params: { path: { id } } }).catch((fault) => (error.value = fault))
}

onMounted(async () => {
  try {
    await load()
    if (!ended(state.value)) follow()
  } catch (fault) {
    error.value = fault
  }
})
onUnmounted(() => source?.close())
</script>

<template>
  <ErrorAlert v-if="error" :error="error" />
  <template v-if="detail">
    <div class="d-flex align-center mb-4">
      <div>
        <h1 class="text-headline-small">Order {{ id }} <OrderState :state="state" :in-doubt="!ended(state) && detail.order.inDoubt" /></h1>
        <div class="quiet">
          <span v-for="each in told(detail.order.services)" :key="each.service" class="mr-3"
            >{{ each.leftOut ? 'without' : kinds[each.kind] }} <router-link :to="'/services/' + each.service">{{ each.service }}</router-link></span
          >
          by {{ detail.order.who }}, {{ time(detail.order.createdAt) }}: {{ detail.order.reason }}
        </div>
      </div>
      <v-spacer />
      <v-btn v-if="!ended(state) && state !== 'DECIDED' && !back && may('run')" color="error" variant="tonal" @click="cancel">Cancel</v-btn>
    </div>
    <v-alert
      v-if="state === 'ROLLED_BACK'"
      type="error"
      variant="tonal"
      class="mb-4"
      title="Rolled back: every device has the configuration that it had before the order"
      >{{ detail.order.failure }}
      <template v-for="fault in detail.order.faults" :key="fault.path + fault.message">
        <div v-for="owner in fault.owners" :key="owner.service + owner.pointer">
          <span class="mono">{{ fault.path }}</span> belongs to <router-link :to="'/services/' + owner.service">{{ owner.service }}</router-link>, clause
          {{ owner.clause
          }}<span v-if="owner.pointer"
            >, from <span class="mono">{{ owner.pointer }}</span></span
          >
        </div>
      </template>
    </v-alert>
    <v-alert
      v-else-if="state === 'REHEARSED'"
      :type="detail.order.failure ? 'warning' : 'info'"
      variant="tonal"
      class="mb-4"
      :title="
        detail.order.failure
          ? 'Rehearsed: no device was changed; against the order stands'
          : 'Rehearsed: no device was changed, and nothing that could be tried stands against the order'
      "
      >{{ detail.order.failure }}</v-alert
    >
    <v-alert
      v-else-if="state === 'DONE'"
      type="success"
      variant="tonal"
      class="mb-4"
      :title="without.length ? 'Done, without ' + without.map((each) => each.service).join(', ') : 'Done: all devices hold what was ordered'"
    >
      <template v-if="!own.length && detail.order.services.some((each) => each.kind !== 'REMOVE')">No checks: the models of these services have none.</template>
    </v-alert>
    <v-alert v-else-if="state === 'AWAITING_AGREEMENT'" type="info" variant="tonal" class="mb-4" title="Another person is to agree to it before it begins">
      <div v-for="why in detail.order.agreement.why" :key="why">{{ why }}</div>
      <div v-if="detail.order.startBy">It ends at {{ time(detail.order.startBy) }} where nobody has agreed by then.</div>
    </v-alert>
    <v-alert
      v-else-if="unbegun(state) && detail.order.keptBackBy"
      type="warning"
      variant="tonal"
      class="mb-4"
      :title="'Kept back by ' + detail.order.keptBackBy"
    />
    <v-alert
      v-else-if="state === 'SCHEDULED'"
      type="info"
      variant="tonal"
      class="mb-4"
      :title="'Scheduled: it begins at ' + time(detail.order.startAt) + (detail.order.inWindow ? ', when the maintenance windows of its sites are open' : '')"
      >{{ detail.order.startBy ? 'It begins by ' + time(detail.order.startBy) + ', or not at all.' : '' }}</v-alert
    >
    <v-alert v-else-if="state === 'WAITING'" type="info" variant="tonal" class="mb-4" title="Waiting: it starts by itself">
      <div v-for="ahead in detail.order.waitsBehind" :key="ahead.order">
        for <router-link :to="'/orders/' + ahead.order">order {{ ahead.order }}</router-link
        >, which holds or needs {{ ahead.names.join(', ') }}
      </div>
    </v-alert>
    <v-alert
      v-else
      :type="back ? 'warning' : 'info'"
      variant="tonal"
      class="mb-4"
      :title="back ? 'Rolling back: all devices return to the state before the order' : 'Running: ' + words(state)"
    >
      {{ back ? '' : detail.order.guarantee }}</v-alert
    >
    <v-alert v-for="device in doubts" :key="device.name" type="error" variant="tonal" class="mb-4" :title="device.name + ' is in doubt'">
      {{ device.text }}. The order holds the device and tries again. If you know by other means that the device holds the state
      {{ state === 'DECIDED' ? 'after this order' : 'before this order' }}, resolve it:
      <v-btn v-if="may('run')" size="small" variant="outlined" class="ml-2" @click="resolve(device.name)">Resolve</v-btn>
    </v-alert>
    <v-alert
      v-for="each in detail.order.services.filter((service) => service.leftOut)"
      :key="each.service"
      type="warning"
      variant="tonal"
      class="mb-4"
      :title="each.service + ' was left out'"
      >{{ each.leftOut }}</v-alert
    >
    <v-card v-if="unbegun(state)" class="mb-4">
      <v-card-title>Document</v-card-title>
      <v-card-text>
        <pre class="mono">{{ detail.document }}</pre>
      </v-card-text>
    </v-card>
    <v-card v-else class="mb-4">
      <ProgressTable :devices="touched" :steps="steps" />
      <TimeLine v-if="ended(state) && steps.length > 1" :devices="touched" :steps="steps" />
      <v-card-text v-if="telling.length">
        <div v-for="{ step, times } in telling" :key="step.seq" :class="step.result === 'FAILED' || step.result === 'IN_DOUBT' ? 'text-error' : 'quiet'">
          {{ time(step.at).slice(11) }} {{ step.phase === 'RECORD' ? words(step.result) : (step.device || 'all') + ', ' + words(step.phase) }}: {{ step.text
          }}{{ times > 1 ? ' (' + times + ' times)' : '' }}
        </div>
      </v-card-text>
    </v-card>
    <p v-if="detail.thinnedAt" class="quiet mb-4">It ended long ago: its lines, steps and checks were dropped at {{ time(detail.thinnedAt) }}.</p>
    <v-card v-if="detail.checks.length" class="mb-4">
      <v-card-title>Checks</v-card-title>
      <table class="plain">
        <thead>
          <tr>
            <th>service</th>
            <th>check</th>
            <th>from</th>
            <th>to</th>
            <th>result</th>
            <th>before</th>
            <th>value</th>
            <th>covers</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="check in shown" :key="check.seq">
            <td>{{ check.service }}<span v-if="!named.has(check.service)" class="quiet"> (other service)</span></td>
            <td>{{ check.observation }}</td>
            <td>{{ check.observer }}</td>
            <td>{{ check.target }}</td>
            <td :class="!counts(check) ? 'quiet' : check.passed ? 'text-success' : 'text-error'">
              {{ !counts(check) ? '–' : check.passed ? 'pass' : 'fail' }}
            </td>
            <td :class="check.passedBefore === false ? 'text-error' : 'quiet'">{{ check.valueBefore ?? '' }}</td>
            <td>
              <span :class="!counts(check) ? 'quiet' : check.passed ? 'text-success' : 'text-error'">{{ check.value }}</span>
              <div v-if="check.path" class="quiet">path: {{ check.path }}</div>
            </td>
            <td>{{ words(check.covers) }}</td>
          </tr>
          <tr v-if="untouched.length">
            <td colspan="8" class="quiet">
              Other services, as before: {{ untouched.length }} {{ untouched.length === 1 ? 'check' : 'checks' }} of
              {{ [...new Set(untouched.map((check) => check.service))].join(', ') }} passed
            </td>
          </tr>
        </tbody>
      </table>
    </v-card>
    <DeviceChanges :devices="changes" />
  </template>
</template>
