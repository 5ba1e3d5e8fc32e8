import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { createVuetify } from 'vuetify'
import type { Device, Schema } from '../src/api/types'
import SchemaForm from '../src/parts/SchemaForm.vue'
import { choices, empty, said } from '../src/parts/form'

const site: Schema = {
  type: 'object', required: ['device', 'port', 'tag'],
  properties: {
    device: { type: 'string', refers: 'device', of: ['pe'] }, port: { type: 'string', refers: 'port', at: 'device', of: ['access'] },
    tag: { type: 'integer', title: 'Tag' }, routes: { type: 'array', items: { type: 'string' }, default: [] },
  },
}
const devices: Device[] = [
  { name: 'haven-pe1', family: 'quern', role: 'pe', site: 'Haven', address: '', trusted: true, readAt: null, heldBy: null, services: [],
    ports: [{ name: 'access-1', role: 'access' }, { name: 'core-1', role: 'core' }] },
  { name: 'haven-ce1', family: 'quern', role: 'ce', site: 'Haven', address: '', trusted: true, readAt: null, heldBy: null, services: [], ports: [] },
]

describe('a form made from a schema', () => {
  it('starts with as many entries as there must be', () => {
    expect(empty({ type: 'array', minItems: 2, items: site })).toHaveLength(2)
  })

  it('offers devices of the right role, and the fitting ports of the chosen one', () => {
    expect(choices(site.properties!.device, devices, {})).toEqual(['haven-pe1'])
    expect(choices(site.properties!.port, devices, { device: 'haven-pe1' })).toEqual(['access-1'])
    expect(choices(site.properties!.port, devices, {})).toEqual([])
  })

  it('leaves out what nobody said, and keeps zero and false', () => {
    expect(said({ a: '', b: null, c: undefined, d: 0, e: false, f: [{ g: '' }, ''] })).toEqual({ d: 0, e: false, f: [{}] })
  })

  it('shows what is to be mended at the field it is about, and keeps whole numbers whole', async () => {
    const wrapper = mount(SchemaForm, {
      global: { plugins: [createVuetify()] },
      props: { schema: site, name: 'Site', pointer: '/services/0/parameters', devices, modelValue: empty(site), needed: true,
        mends: [{ pointer: '/services/0/parameters/tag', detail: 'is taken already' }] },
    })
    const field = wrapper.findAllComponents({ name: 'VTextField' }).find((each) => each.text().includes('Tag'))!
    expect(field.text()).toContain('is taken already')
    await field.find('input').setValue('120')
    expect(wrapper.props('modelValue').tag).toBe(120)
  })
})
