<script setup lang="ts">
import { computed, onMounted, onUnmounted, ref } from 'vue'
import { get, post } from '../api/client'
import type { OrderDetail, Step } from '../api/types'
import { ended, kinds, phases, states, time } from '../api/words'
import DeviceChanges from '../parts/DeviceChanges.vue'
import Mends from '../parts/Mends.vue'
import ProgressTable from '../parts/ProgressTable.vue'
import { folded, goesBack } from '../parts/progress'
import StateMark from '../parts/StateMark.vue'
import TimeLine from '../parts/TimeLine.vue'

const props = defineProps<{ id: string }>()
const detail = ref<OrderDetail | null>(null)
const steps = ref<Step[]>([])
const state = ref('')
const error = ref<unknown>(null)
let source: EventSource | null = null

const touched = computed(() => Object.entries(detail.value?.devices ?? {}).filter(([, lines]) => lines.length).map(([device]) => device))
const changes = computed(() => Object.fromEntries(Object.entries(detail.value?.devices ?? {}).filter(([, lines]) => lines.length)))
// How it ended is said at the top.
const telling = computed(() => folded(steps.value.filter((step) => step.text && !ended(step.word))))
const back = computed(() => !ended(state.value) && state.value !== 'DECIDED' && state.value !== 'WAITING' && goesBack(steps.value))
const without = computed(() => detail.value?.order.services.filter((each) => each.leftOut) ?? [])
const named = computed(() => new Set(detail.value?.order.services.map((each) => each.service)))
const own = computed(() => detail.value?.checks.filter((check) => named.value.has(check.service)) ?? [])
const untouched = computed(() => detail.value?.checks.filter((check) => !named.value.has(check.service) && check.holds) ?? [])
// Of what stands beside the order only what it has harmed.
const shown = computed(() => [...own.value, ...(detail.value?.checks.filter((check) => !named.value.has(check.service) && !check.holds) ?? [])])
const proof: Record<string, string> = { AWAITED: 'awaited', END_TO_END: 'end to end', TO_THE_HANDOFF: 'to the handoff' }

async function load() {
  detail.value = await get<OrderDetail>('/orders/' + props.id)
  state.value = detail.value.order.state
  steps.value = detail.value.events
}

function follow() {
  steps.value = []
  source = new EventSource('/api/v1/orders/' + props.id + '/events')
  source.addEventListener('step', (event) => steps.value.push(JSON.parse(event.data)))
  source.addEventListener('state', (event) => {
    const waited = state.value === 'WAITING'
    state.value = String(event.data).replaceAll('"', '')
    // Whoever has waited is planned anew: only now it is known what changes.
    if (waited && state.value !== 'WAITING') load().catch((fault) => (error.value = fault))
  })
  source.onerror = () => {
    // The service ends the stream with the order; anything else is looked into anew.
    source?.close()
    load().catch((fault) => (error.value = fault))
  }
}

/** Devices last heard of in doubt. */
const doubts = computed(() => {
  const last = new Map<string, Step>()
  steps.value.forEach((step) => last.set(step.device, step))
  return ended(state.value) ? [] : [...last.values()].filter((step) => step.word === 'IN_DOUBT').map((step) => ({ name: step.device, text: step.text }))
})

async function seen(device: string) {
  const as = state.value === 'DECIDED' ? 'after' : 'before'
  await post('/orders/' + props.id + '/devices/' + device + '/sightings', JSON.stringify({ as }), { 'Content-Type': 'application/json' }).catch((fault) => (error.value = fault))
}

async function takeBack() {
  await post('/orders/' + props.id + '/cancellation', '').catch((fault) => (error.value = fault))
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
  <Mends v-if="error" :error="error" />
  <template v-if="detail">
    <div class="d-flex align-center mb-4">
      <div>
        <h1 class="text-headline-small">Order {{ id }} <StateMark :state="state" :goes-back="back" :in-doubt="!ended(state) && detail.order.inDoubt" /></h1>
        <div class="quiet">
          <span v-for="each in detail.order.services" :key="each.service" class="mr-3">{{ each.leftOut ? 'without' : kinds[each.kind] }} <router-link :to="'/services/' + each.service">{{ each.service }}</router-link></span>
          by {{ detail.order.who }}, {{ time(detail.order.createdAt) }}: {{ detail.order.reason }}
        </div>
      </div>
      <v-spacer />
      <v-btn v-if="!ended(state) && state !== 'DECIDED' && !back" color="error" variant="tonal" @click="takeBack">Take it back</v-btn>
    </div>
    <v-alert v-if="state === 'ABORTED'" type="error" variant="tonal" class="mb-4" title="Taken back: every device is as before">{{ detail.order.failure }}</v-alert>
    <v-alert v-else-if="state === 'DONE'" type="success" variant="tonal" class="mb-4" :title="without.length ? 'Done, without ' + without.map((each) => each.service).join(', ') : 'Done: every device is as asked'">
      <template v-if="!own.length && detail.order.services.some((each) => each.kind !== 'REMOVE')">Nothing was proven: the models of these services name no check for them.</template>
    </v-alert>
    <v-alert v-else-if="state === 'WAITING'" type="info" variant="tonal" class="mb-4" title="Waiting in line: it starts by itself">
      <div v-for="ahead in detail.order.waitsBehind" :key="ahead.order">behind <router-link :to="'/orders/' + ahead.order">order {{ ahead.order }}</router-link>, for {{ ahead.names.join(', ') }}</div>
    </v-alert>
    <v-alert v-else :type="back ? 'warning' : 'info'" variant="tonal" class="mb-4" :title="back ? 'Going back: every device is brought to how it was' : states[state]?.text">
      {{ back ? '' : detail.order.guarantee }}</v-alert>
    <v-alert v-for="device in doubts" :key="device.name" type="error" variant="tonal" class="mb-4" :title="device.name + ' is in doubt'">
      {{ device.text }}. It is held and tried again. If you can see by other means that it stands
      {{ state === 'DECIDED' ? 'as this order leaves it' : 'as it stood before this order' }}, say so:
      <v-btn size="small" variant="outlined" class="ml-2" @click="seen(device.name)">I have seen it</v-btn>
    </v-alert>
    <v-alert v-for="each in detail.order.services.filter((service) => service.leftOut)" :key="each.service" type="warning" variant="tonal" class="mb-4"
      :title="each.service + ' was left out'">{{ each.leftOut }}</v-alert>
    <v-card v-if="state === 'WAITING'" class="mb-4">
      <v-card-title>What it asks for</v-card-title>
      <v-card-text><pre class="mono">{{ detail.document }}</pre></v-card-text>
    </v-card>
    <v-card v-else class="mb-4">
      <ProgressTable :devices="touched" :steps="steps" />
      <TimeLine v-if="ended(state) && steps.length > 1" :devices="touched" :steps="steps" />
      <v-card-text v-if="telling.length">
        <div v-for="{ step, times } in telling" :key="step.seq" :class="step.word === 'FAILS' || step.word === 'IN_DOUBT' ? 'text-error' : 'quiet'">
          {{ time(step.at).slice(11) }} {{ step.phase === 'RECORD' ? step.word.toLowerCase() : (step.device || 'all') + ', ' + phases[step.phase] }}: {{ step.text }}{{ times > 1 ? ' (' + times + ' times)' : '' }}
        </div>
      </v-card-text>
    </v-card>
    <v-card v-if="detail.checks.length" class="mb-4">
      <v-card-title>What was seen</v-card-title>
      <table class="plain">
        <thead><tr><th>service</th><th class="text-no-wrap">looked for</th><th>from</th><th>to</th><th>before</th><th>seen</th><th>proves</th></tr></thead>
        <tbody>
          <tr v-for="check in shown" :key="check.seq">
            <td>{{ check.service }}<span v-if="!named.has(check.service)" class="quiet"> beside it</span></td><td>{{ check.observation }}</td><td>{{ check.observer }}</td><td>{{ check.target }}</td>
            <td :class="check.heldBefore === false ? 'text-error' : 'quiet'">{{ check.seenBefore ?? '' }}</td>
            <td><span :class="check.proves === 'AWAITED' ? 'quiet' : check.holds ? 'text-success' : 'text-error'">{{ check.seen }}</span><div v-if="check.way" class="quiet">the way there: {{ check.way }}</div></td><td>{{ proof[check.proves] }}</td>
          </tr>
          <tr v-if="untouched.length"><td colspan="7" class="quiet">Beside it, as before: {{ untouched.length }} {{ untouched.length === 1 ? 'check' : 'checks' }}
            of {{ [...new Set(untouched.map((check) => check.service))].join(', ') }}</td></tr>
        </tbody>
      </table>
    </v-card>
    <DeviceChanges :devices="changes" />
  </template>
</template>
