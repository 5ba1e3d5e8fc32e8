import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { createVuetify } from 'vuetify'
import type { Device, Schema } from '../src/api/types'
import SchemaForm from '../src/components/SchemaForm.vue'
import { outline } from '../src/labels/labels'
import { choices, empty, said, speaks } from '../src/components/form'

const site: Schema = {
  type: 'object',
  required: ['device', 'port', 'tag'],
  properties: {
    device: { type: 'string', refers: 'device', of: ['pe'] },
    port: { type: 'string', refers: 'port', at: 'device', of: ['access'] },
    tag: { type: 'integer', title: 'Tag' },
    routes: { type: 'array', items: { type: 'string' }, default: [] },
  },
}
const devices: Device[] = [
  {
    name: 'haven-pe1',
    family: 'quern',
    role: 'pe',
    site: 'Haven',
    address: '',
    trusted: true,
    readAt: null,
    heldBy: null,
    drifted: 0,
    services: [],
    at: [],
    ports: [
      { name: 'access-1', role: 'access', mtu: 9000, speed: 10000000 },
      { name: 'core-1', role: 'core', mtu: 9000, speed: 10000000 },
    ],
  },
  {
    name: 'haven-ce1',
    family: 'quern',
    role: 'ce',
    site: 'Haven',
    address: '',
    trusted: true,
    readAt: null,
    heldBy: null,
    drifted: 0,
    services: [],
    at: [],
    ports: [],
  },
]

describe('what a group of values says', () => {
  it('is an outline without what is empty, nought or no', () => {
    expect(outline({ mtu: 1500, rate: 0, class: '', override: false, sites: [{ name: 'haven', bgp: { as: 0 }, routes: ['a', 'b'] }] })).toEqual([
      'mtu  1500',
      'sites 1',
      '  name  haven',
      '  routes  a, b',
    ])
  })

  it('tells a form which folded fields say something', () => {
    expect(speaks({ type: 'integer', default: 1500 }, 1500)).toBe(false)
    expect(speaks({ type: 'object', properties: { as: { type: 'integer', default: 0 } } }, { as: 64801 })).toBe(true)
  })
})

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

  it('shows what was refused at its field, and keeps whole numbers whole', async () => {
    const wrapper = mount(SchemaForm, {
      global: { plugins: [createVuetify()] },
      props: {
        schema: site,
        name: 'Site',
        pointer: '/services/0/parameters',
        devices,
        modelValue: empty(site),
        needed: true,
        errors: [{ pointer: '/services/0/parameters/tag', detail: 'is taken already', together: [] }],
      },
    })
    const field = wrapper.findAllComponents({ name: 'VTextField' }).find((each) => each.text().includes('Tag'))!
    expect(field.text()).toContain('is taken already')
    await field.find('input').setValue('120')
    expect(wrapper.props('modelValue').tag).toBe(120)
  })
})
