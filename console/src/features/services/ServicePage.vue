<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, data } from '../../api/client'
import { may } from '../../api/me'
import type { CheckResult, ServiceDetail } from '../../api/types'
import { kinds, outline, passes, time } from '../../labels/labels'
import CheckMatrix from '../monitoring/CheckMatrix.vue'
import ErrorAlert from '../../components/ErrorAlert.vue'
import DriftList from '../../components/DriftList.vue'
import FieldValues from '../../components/FieldValues.vue'

const props = defineProps<{ name: string }>()
const router = useRouter()
const detail = ref<ServiceDetail | null>(null)
const tab = ref('parameters')
const error = ref<unknown>(null)

const load = () =>
  data(api.GET('/api/v1/services/{name}', { params: { path: props } })).then(
    (found) => {
      detail.value = found
      if (!found.service) tab.value = 'history'
    },
    (fault) => (error.value = fault),
  )
onMounted(load)

/** The service that this one belongs to and is changed with. */
const container = computed(() => detail.value?.service?.componentOf)

const checks = ref<CheckResult[] | null>(null)
const checking = ref(false)
const failed = computed(() => checks.value?.filter((check) => !check.passed) ?? [])

/** How many places of the service have a check, and which have none. */
function covered(coverage: NonNullable<ServiceDetail['coverage']>) {
  return (
    coverage.places +
    (coverage.places === 1 ? ' place; ' : ' places; ') +
    (coverage.uncovered.length ? 'no check covers ' + coverage.uncovered.join(', ') : 'every place has at least one check')
  )
}

/** Runs the checks now. */
async function check() {
  checking.value = true
  error.value = null
  try {
    checks.value = await data(api.POST('/api/v1/services/{name}/checks', { params: { path: props } }))
  } catch (fault) {
    error.value = fault
  } finally {
    checking.value = false
  }
}
watch(tab, (now) => {
  if (now === 'checks' && !checks.value && !checking.value) check()
})
</script>

<template>
  <ErrorAlert v-if="error" :error="error" />
  <template v-if="detail">
    <div class="d-flex align-center mb-4">
      <div>
        <h1 class="text-headline-small">{{ name }}</h1>
        <div v-if="detail.service" class="quiet">
          {{ detail.service.tenant }}, {{ detail.service.model }} {{ detail.service.modelVersion
          }}<template v-if="container"
            >, a component of <router-link :to="'/services/' + container">{{ container }}</router-link></template
          >
        </div>
        <div v-else class="quiet">removed</div>
      </div>
      <v-spacer />
      <router-link v-if="detail.heldBy" :to="'/orders/' + detail.heldBy" class="mr-4">held by order {{ detail.heldBy }}</router-link>
      <v-btn v-if="container" variant="tonal" @click="router.push({ path: '/order', query: { change: container } })">Change {{ container }}</v-btn>
      <template v-else-if="detail.service">
        <v-btn v-if="may('prepare')" variant="tonal" class="mr-2" @click="router.push({ path: '/order', query: { change: name } })">Change</v-btn>
        <v-btn v-if="may('prepare')" variant="tonal" color="error" @click="router.push({ path: '/order', query: { remove: name } })">Remove</v-btn>
      </template>
    </div>
    <v-alert v-if="detail.outOfDate.fault" type="warning" variant="tonal" class="mb-4" title="Out of date: it cannot be worked out any more">{{
      detail.outOfDate.fault
    }}</v-alert>
    <v-alert v-else-if="detail.outOfDate.devices.length" type="warning" variant="tonal" class="mb-4" title="Out of date">
      Today's settings, network and dialects would change it on {{ detail.outOfDate.devices.join(', ') }}. Its clauses and checks are shown as they would be.
      <router-link :to="{ path: '/order', query: { refresh: container ?? name } }">Preview</router-link>
    </v-alert>
    <v-alert v-if="detail.customersToFollow.length" type="info" variant="tonal" class="mb-4" title="Customer to follow">
      At {{ detail.customersToFollow.map((end) => end.device + ' ' + end.port).join(', ') }} the customer's router is still to be changed. Checks there are
      repeated, and fail no order until they have passed.
    </v-alert>
    <DriftList :drift="detail.drift" @decided="load" />
    <v-card>
      <v-tabs v-model="tab">
        <v-tab v-if="detail.service" value="parameters">Parameters</v-tab>
        <v-tab v-if="detail.service" value="checks">Checks</v-tab>
        <v-tab v-if="detail.service" value="clauses">Clauses</v-tab>
        <v-tab v-if="detail.service" value="footprint">Footprint</v-tab>
        <v-tab value="history">History</v-tab>
      </v-tabs>
      <div v-if="tab === 'parameters' && detail.service" class="two">
        <pre class="mono pa-4 overflow-x-auto">{{ outline(detail.service.parameters).join('\n') }}</pre>
        <div>
          <table v-if="detail.service.components.length" class="plain">
            <thead>
              <tr>
                <th>contains</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="component in detail.service.components" :key="component">
                <td>
                  <router-link :to="'/services/' + component">{{ component }}</router-link>
                </td>
              </tr>
            </tbody>
          </table>
          <table v-if="detail.numbers.length" class="plain">
            <thead>
              <tr>
                <th>allocated for</th>
                <th>value</th>
                <th>pool</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="taken in detail.numbers" :key="taken.key">
                <td>{{ taken.key }}</td>
                <td class="mono">{{ taken.written }}</td>
                <td>
                  {{ taken.pool }}<span v-if="taken.within" class="quiet"> on {{ taken.within }}</span>
                </td>
              </tr>
            </tbody>
          </table>
        </div>
      </div>
      <div v-else-if="tab === 'checks'">
        <div class="d-flex align-center px-3 pt-3">
          <span v-if="checking" class="quiet">running the checks …</span>
          <span v-else-if="checks && !checks.length" class="quiet">No checks: its model has none.</span>
          <span v-else-if="checks && !failed.length" class="text-success">{{ passes(checks) }}</span>
          <span v-else-if="checks" class="text-error">{{ failed.length }} of {{ checks.length }} checks failed.</span>
          <v-spacer />
          <v-btn size="small" variant="tonal" :loading="checking" @click="check">Check again</v-btn>
        </div>
        <p v-if="detail.coverage" class="px-3 pt-1" :class="detail.coverage.uncovered.length ? 'text-warning' : 'quiet'">
          {{ covered(detail.coverage) }}
        </p>
        <ul v-if="failed.length" class="px-8 pt-2">
          <li v-for="(check, i) in failed" :key="i">
            <span class="text-error">from {{ check.from }} to {{ check.to }}: {{ check.value }}</span>
            <div v-if="check.path" class="quiet">path: {{ check.path }}</div>
          </li>
        </ul>
        <CheckMatrix v-if="checks" :checks="checks" />
      </div>
      <table v-else-if="tab === 'clauses'" class="plain">
        <thead>
          <tr>
            <th>device</th>
            <th>clause</th>
            <th>values</th>
            <th>statement of the model</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(clause, i) in detail.clauses" :key="i">
            <td>
              <router-link :to="'/devices/' + clause.device">{{ clause.device }}</router-link>
            </td>
            <td>{{ clause.name }}</td>
            <td><FieldValues :values="clause.says" /></td>
            <td class="quiet text-no-wrap">{{ clause.origin }}</td>
          </tr>
        </tbody>
      </table>
      <div v-else-if="tab === 'footprint'" class="two pa-4">
        <v-card v-for="(lines, device) in detail.footprint" :key="device">
          <div class="px-3 pt-2">
            <router-link :to="'/devices/' + device">{{ device }}</router-link>
          </div>
          <div class="native-links mono">
            <router-link
              v-for="(line, i) in lines"
              :key="i"
              :to="{ path: '/devices/' + device, query: { explain: line.at } }"
              :title="line.because.length ? 'clause ' + line.because.join(', ') : ''"
              >{{ line.text }}</router-link
            >
          </div>
        </v-card>
      </div>
      <table v-else class="plain">
        <thead>
          <tr>
            <th>order</th>
            <th>when</th>
            <th>change</th>
            <th>by</th>
            <th>reason</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="entry in detail.history" :key="entry.order">
            <td>
              <router-link :to="'/orders/' + entry.order">{{ entry.order }}</router-link>
            </td>
            <td>{{ time(entry.at) }}</td>
            <td>{{ kinds[entry.kind] }}</td>
            <td>{{ entry.who }}</td>
            <td>{{ entry.reason }}</td>
          </tr>
        </tbody>
      </table>
    </v-card>
  </template>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(420px, 1fr));
  gap: 16px;
}
</style>
