import type { Device, Schema } from '../api/types'

/** Whether a value says something else than what holds where nothing is said. */
export function speaks(schema: Schema, value: any): boolean {
  if (value === undefined || value === null || value === '') return false
  if (Array.isArray(value)) return value.length > 0
  if (typeof value === 'object') return Object.entries(schema.properties ?? {}).some(([name, property]) => speaks(property, value[name]))
  return value !== schema.default
}

/** A first value for a schema: what a person then fills in. */
export function empty(schema: Schema): any {
  if (schema.type === 'object') {
    return Object.fromEntries(Object.entries(schema.properties ?? {}).map(([name, property]) => [name, empty(property)]))
  }
  if (schema.type === 'array') return Array.from({ length: schema.minItems ?? 0 }, () => empty(schema.items!))
  return schema.default
}

/** What may be chosen, where the value refers to a device or a port, or is one of a few. */
export function choices(schema: Schema, devices: Device[], around: Record<string, unknown>): string[] | null {
  const fits = (role: string) => !schema.of?.length || schema.of.includes(role)
  if (schema.refers === 'device') return devices.filter((device) => fits(device.role)).map((device) => device.name)
  if (schema.refers === 'port') {
    const device = devices.find((each) => each.name === around[schema.at ?? ''])
    return (device?.ports ?? []).filter((port) => fits(port.role)).map((port) => port.name)
  }
  return schema.enum ? schema.enum.map(String) : null
}

/** The value without what was left empty, so that the document says only what a person said. */
export function said(value: any): any {
  if (Array.isArray(value)) return value.map(said).filter((item) => item !== undefined)
  if (value !== null && typeof value === 'object') {
    return Object.fromEntries(
      Object.entries(value)
        .map(([name, item]) => [name, said(item)])
        .filter(([, item]) => item !== undefined),
    )
  }
  return value === '' || value === null ? undefined : value
}
