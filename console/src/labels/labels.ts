import type { Outcome } from '../api/types'

// Every word that the console shows for a constant of the service. A constant is its own word, in small letters.

/** A constant of the interface as people read it: LOCK_AND_READ is "lock and read". */
export function words(constant: string): string {
  return constant.toLowerCase().replaceAll('_', ' ')
}

/** Whether a result says anything of its service: a check that is not testable yet, or where a customer is to follow, does not. */
export function counts(check: { covers: string }): boolean {
  return !['NOT_TESTABLE_YET', 'CUSTOMER_TO_FOLLOW'].includes(check.covers)
}

/** How many checks passed, and how many say nothing of their service; of results none of which has failed. */
export function passes(checks: { covers: string }[]): string {
  const silent = checks.filter((check) => !counts(check))
  if (!silent.length) return 'All ' + checks.length + ' checks passed.'
  const kinds = [...new Set(silent.map((check) => check.covers))]
  return (
    checks.length -
    silent.length +
    ' checks passed, ' +
    kinds.map((kind) => silent.filter((check) => check.covers === kind).length + ' ' + words(kind)).join(', ') +
    '.'
  )
}

export const forward = ['CONNECT', 'LOCK_AND_READ', 'EDIT_AND_VALIDATE', 'CONFIRMED_COMMIT', 'CHANGE', 'CHECKS', 'FINAL_READ', 'CONFIRM']

const tones: Record<string, string> = {
  AWAITING_AGREEMENT: 'secondary',
  SCHEDULED: 'secondary',
  WAITING: 'secondary',
  ROLLING_BACK: 'warning',
  DONE: 'success',
  ROLLED_BACK: 'error',
  REHEARSED: 'secondary',
}

/** The colour of an order's state. */
export function tone(state: string): string {
  return tones[state] ?? 'primary'
}

export const kinds: Record<string, string> = { ADD: 'add', CHANGE: 'change', REMOVE: 'remove', KEEP: 'keep' }

export function ended(state: string): boolean {
  return ['DONE', 'ROLLED_BACK', 'REHEARSED'].includes(state)
}

/** Whether an order has not begun: nothing of it has reached a device. */
export function unbegun(state: string): boolean {
  return ['AWAITING_AGREEMENT', 'SCHEDULED', 'WAITING'].includes(state)
}

function isEmpty(value: unknown): boolean {
  if (Array.isArray(value)) return value.every(isEmpty)
  if (value !== null && typeof value === 'object') return Object.values(value).every(isEmpty)
  return value === '' || value === 0 || value === false || value === null || value === undefined
}

/** The fields of a group that have a value: empty ones, 0 and false are left out. */
export function filled(values: Record<string, unknown>): [string, unknown][] {
  return Object.entries(values).filter(([, value]) => !isEmpty(value))
}

/** Values as an outline, without empty ones. */
export function outline(values: Record<string, unknown>, indent = ''): string[] {
  return filled(values).flatMap(([name, value]) => {
    if (Array.isArray(value) && value[0] !== null && typeof value[0] === 'object') {
      return value.flatMap((item, i) => [`${indent}${name} ${i + 1}`, ...outline(item, indent + '  ')])
    }
    if (value !== null && typeof value === 'object' && !Array.isArray(value)) {
      return [indent + name, ...outline(value as Record<string, unknown>, indent + '  ')]
    }
    return [`${indent}${name}  ${oneLine(value)}`]
  })
}

/** A value of a clause or a setting in one line; empty fields of groups, 0 and false are left out. */
export function oneLine(value: unknown): string {
  if (Array.isArray(value)) return value.map(oneLine).join(', ')
  if (value !== null && typeof value === 'object') {
    return filled(value as Record<string, unknown>)
      .map(([name, item]) => `${name} ${oneLine(item)}`)
      .join(', ')
  }
  return String(value)
}

export function time(iso: string | null): string {
  return iso ? iso.slice(0, 19).replace('T', ' ') : ''
}

export function errorText(error: unknown): string {
  return error instanceof Error ? error.message : String(error)
}

/** Each kind of check, as a heading. */
export const observations: Record<string, string> = {
  reach: 'Ping',
  connect: 'TCP connection',
  route: 'Route',
  session: 'Routing session with a customer',
  wire: 'Pseudowire or tunnel',
  frames: 'Test frames there and back',
  delivery: 'Test frames one way',
  prefixes: 'Prefixes announced by a customer',
  hosts: 'Remote MAC addresses',
  standby: 'Backup pseudowire',
  learning: 'MAC address limit',
  rate: 'Bandwidth of an access',
  routed: 'Routing between segments',
  gateway: 'Gateway of a segment',
  relay: 'DHCP relay',
  exchange: 'Routes from other devices',
  origins: 'No routes of other services',
  peers: 'No other devices connected',
  bundle: 'Link bundle',
  link: 'Link',
}

/** What becomes of services, as it is told: what a service contains goes without saying, unless the service itself stays as it is. */
export function told(services: Outcome[]): Outcome[] {
  const kept = new Set(services.filter((each) => each.kind === 'KEEP').map((each) => each.service))
  return services.filter((each) => !each.componentOf || kept.has(each.componentOf))
}
