<script setup lang="ts">
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { all, api, data, Refusal, written as asWritten } from '../../api/client'
import { may } from '../../api/me'
import type { Device, Model, Preview } from '../../api/types'
import { kinds, time } from '../../labels/labels'
import DeviceChanges from './DeviceChanges.vue'
import DriftedNode from '../../components/DriftedNode.vue'
import ErrorAlert from '../../components/ErrorAlert.vue'
import SchemaForm from '../../components/SchemaForm.vue'
import { empty, said } from '../../components/form'

const route = useRoute()
const router = useRouter()
const models = ref<Model[]>([])
const devices = ref<Device[]>([])
const tab = ref('form')
const chosen = ref<string | null>(null)
const name = ref('')
const tenant = ref('')
const reason = ref('')
const parameters = ref<any>({})
const text = ref('')
const preview = ref<Preview | null>(null)
const error = ref<unknown>(null)
const busy = ref(false)
// One key for each preview: the same order sent again, after an answer that was lost, is the same order.
let key = ''

const removing = computed(() => (route.query.remove ? String(route.query.remove) : null))
const model = computed(() => models.value.find((each) => each.name === chosen.value))
const errors = computed(() => (error.value instanceof Refusal ? error.value.errors : []))
// Services that would have to be in this order as well, where the order is written by the form.
const together = computed(() => (tab.value === 'document' ? [] : [...new Set(errors.value.flatMap((each) => each.together ?? []))]))
const document = computed(() => (tab.value === 'document' ? text.value : written()))

function written(): string {
  const order = removing.value
    ? { reason: said(reason.value), remove: [removing.value] }
    : {
        reason: said(reason.value),
        services: [{ name: said(name.value), tenant: said(tenant.value), model: chosen.value, parameters: said(parameters.value) }],
      }
  return JSON.stringify(order, null, 2)
}

function choose(next: string | null) {
  chosen.value = next
  if (model.value) parameters.value = empty(model.value.parameters)
}

watch(tab, (next) => {
  if (next === 'document' && !text.value) text.value = written()
})
watch([document, tab], () => (preview.value = null))

onMounted(async () => {
  try {
    ;[models.value, devices.value] = await Promise.all([data(api.GET('/api/v1/models')), all((query) => api.GET('/api/v1/devices', { params: { query } }))])
    if (route.query.change) {
      const detail = await data(api.GET('/api/v1/services/{name}', { params: { path: { name: String(route.query.change) } } }))
      if (detail.service) {
        // It stays on its version of the model, whose form is shown.
        const own = await data(
          api.GET('/api/v1/models/{name}', { params: { path: { name: detail.service.model }, query: { version: detail.service.modelVersion } } }),
        )
        models.value = [...models.value.filter((each) => each.name !== own.name), own]
        choose(own.name)
        name.value = detail.service.name
        tenant.value = detail.service.tenant
        parameters.value = JSON.parse(JSON.stringify(detail.service.parameters))
      }
    } else if (models.value.length === 1) {
      choose(models.value[0].name)
    }
    if (route.query.refresh) {
      await begin({ reason: 'Brought up to date', refresh: [String(route.query.refresh)] })
    } else if (route.query.restore) {
      const drift = (await data(api.GET('/api/v1/devices/{name}', { params: { path: { name: String(route.query.restore) } } }))).drift.filter(
        (each) => each.leftBy === null,
      )
      await begin({
        reason: 'Restores what was changed on ' + String(route.query.restore),
        refresh: [...new Set(drift.flatMap((each) => each.services))],
        decisions: drift.map((each) => ({ device: each.device, path: each.path, decision: 'restore' })),
      })
    }
    if (removing.value) await look()
  } catch (fault) {
    error.value = fault
  }
})

/** Begins with an order as a document, and previews it. */
async function begin(order: object) {
  text.value = JSON.stringify(order, null, 2)
  tab.value = 'document'
  await nextTick()
  await look()
}

/** The same order with the services that refer to what it changes: gone as well, or expanded again. */
const joined = () => begin({ ...JSON.parse(written()), ...(removing.value ? { remove: [removing.value, ...together.value] } : { refresh: together.value }) })

async function attempt(action: () => Promise<void>) {
  busy.value = true
  error.value = null
  try {
    await action()
  } catch (fault) {
    error.value = fault
    preview.value = null
  } finally {
    busy.value = false
  }
}

const look = () =>
  attempt(async () => {
    preview.value = await data(api.POST('/api/v1/previews', asWritten(document.value)))
    key = crypto.randomUUID()
  })

const run = () =>
  attempt(async () => {
    const placed = await data(api.POST('/api/v1/orders', asWritten(document.value, { 'If-Match': `"${preview.value!.digest}"`, 'Idempotency-Key': key })))
    if (placed.order) await router.push('/orders/' + placed.order)
  })
</script>

<template>
  <h1 class="text-headline-small mb-4">{{ removing ? 'Remove ' + removing : route.query.change ? 'Change ' + route.query.change : 'New order' }}</h1>
  <v-card class="mb-4">
    <v-tabs v-if="!removing || tab === 'document'" v-model="tab"><v-tab value="form">Form</v-tab><v-tab value="document">Document</v-tab></v-tabs>
    <v-card-text>
      <v-form @submit.prevent="look">
        <template v-if="tab === 'form'">
          <div v-if="!removing" class="top">
            <v-select
              :model-value="chosen"
              :items="models.map((each) => ({ value: each.name, title: each.title }))"
              label="Kind of service"
              @update:model-value="choose"
            />
            <v-text-field v-model="name" label="Name of the service" placeholder="tidewater-clinics" />
            <v-text-field v-model="tenant" label="Tenant" placeholder="Tidewater Clinics" />
          </div>
          <v-text-field v-model="reason" label="Reason (for the history)" />
          <SchemaForm
            v-if="model && !removing"
            v-model="parameters"
            :schema="model.parameters"
            name="Parameters"
            pointer="/services/0/parameters"
            :devices="devices"
            :errors="errors"
            needed
          />
        </template>
        <v-textarea v-else v-model="text" label="Order, as YAML or JSON" rows="18" class="mono" spellcheck="false" />
        <div class="d-flex mt-4">
          <v-btn type="submit" variant="tonal" color="primary" :loading="busy">Preview</v-btn>
          <v-btn v-if="preview && !preview.changesNothing && may('run')" class="ml-3" variant="flat" color="primary" :loading="busy" @click="run"
            >Run this order</v-btn
          >
        </div>
      </v-form>
    </v-card-text>
  </v-card>
  <ErrorAlert v-if="error" :error="error" />
  <v-btn v-if="together.length" class="mb-4" variant="tonal" :loading="busy" @click="joined"
    >Preview one order that also {{ removing ? 'removes' : 'refreshes' }} {{ together.join(', ') }}</v-btn
  >
  <template v-if="preview">
    <v-alert v-if="preview.changesNothing" type="info" variant="tonal"
      >No change: the devices already hold what this order asks for, as they were read<template v-if="preview.readAt">
        (the earliest reading is of {{ time(preview.readAt) }})</template
      >.</v-alert
    >
    <template v-else>
      <div class="mb-3">
        <span v-for="each in preview.services" :key="each.service" class="mr-4"
          >{{ kinds[each.kind] }} <b>{{ each.service }}</b></span
        ><span class="quiet">{{ preview.guarantee }}</span
        ><span v-if="preview.expectedSeconds" class="quiet ml-4"
          >Expected time: about {{ preview.expectedSeconds }} s, by earlier orders over about as many devices.</span
        >
      </div>
      <DeviceChanges :devices="preview.devices" />
    </template>
    <v-alert v-if="preview.drift.length" type="warning" variant="tonal" class="mt-3" title="Changed outside Rilvan, and not changed by this order">
      <div v-for="each in preview.drift" :key="each.device + each.path"><DriftedNode :node="each" /></div>
    </v-alert>
  </template>
</template>

<style scoped>
.top {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 4px 16px;
}
</style>
