// The service's constants in words, and how they are to be seen.

export const phases: Record<string, string> = {
  BASELINE: 'look before', OPEN: 'open', LOOK: 'lock and look', PREPARE: 'edit and validate', COMMIT: 'commit provisionally', CHANGE: 'change', WAIT: 'wait for the confirmation', PROVE: 'prove',
  LOOK_AGAIN: 'read once more', CONFIRM: 'confirm', RELEASE: 'let go', GO_BACK: 'go back', BRING_FORWARD: 'bring forward',
}

export const forward = ['OPEN', 'LOOK', 'PREPARE', 'COMMIT', 'CHANGE', 'PROVE', 'LOOK_AGAIN', 'CONFIRM']

export const states: Record<string, { text: string; tone: string }> = {
  WAITING: { text: 'waiting in line', tone: 'secondary' },
  OPEN: { text: 'starting', tone: 'primary' },
  HELD: { text: 'preparing', tone: 'primary' },
  ARMED: { text: 'changing', tone: 'primary' },
  DECIDED: { text: 'decided', tone: 'primary' },
  TURN: { text: 'turning back', tone: 'warning' },
  DONE: { text: 'done', tone: 'success' },
  ABORTED: { text: 'taken back', tone: 'error' },
}

export const kinds: Record<string, string> = { ADD: 'add', CHANGE: 'change', REMOVE: 'remove', KEEP: 'keep' }

export function ended(state: string): boolean {
  return state === 'DONE' || state === 'ABORTED'
}

function isNothing(value: unknown): boolean {
  if (Array.isArray(value)) return value.every(isNothing)
  if (value !== null && typeof value === 'object') return Object.values(value).every(isNothing)
  return value === '' || value === 0 || value === false || value === null || value === undefined
}

/** What a group of values says, by name: what is empty, nought or no is left out. */
export function saying(values: Record<string, unknown>): [string, unknown][] {
  return Object.entries(values).filter(([, value]) => !isNothing(value))
}

/** Values as an outline, without those that say nothing. */
export function outline(values: Record<string, unknown>, indent = ''): string[] {
  return saying(values).flatMap(([name, value]) => {
    if (Array.isArray(value) && value[0] !== null && typeof value[0] === 'object') {
      return value.flatMap((item, i) => [`${indent}${name} ${i + 1}`, ...outline(item, indent + '  ')])
    }
    if (value !== null && typeof value === 'object' && !Array.isArray(value)) {
      return [indent + name, ...outline(value as Record<string, unknown>, indent + '  ')]
    }
    return [`${indent}${name}  ${inWords(value)}`]
  })
}

/** A value of a clause or a setting in one line; what is empty, nought or no is left out of groups. */
export function inWords(value: unknown): string {
  if (Array.isArray(value)) return value.map(inWords).join(', ')
  if (value !== null && typeof value === 'object') {
    return saying(value as Record<string, unknown>).map(([name, item]) => `${name} ${inWords(item)}`).join(', ')
  }
  return String(value)
}

export function time(iso: string | null): string {
  return iso ? iso.slice(0, 19).replace('T', ' ') : ''
}

export function errorText(error: unknown): string {
  return error instanceof Error ? error.message : String(error)
}

/** What is looked for, as a heading. */
export const observations: Record<string, string> = {
  reach: 'Packets get there and back', connect: 'Connections are answered', route: 'Routes are known', session: 'Routes are exchanged with customers', wire: 'Ways to other devices are up', frames: 'Frames get there and back', delivery: 'Frames get there',
  prefixes: 'Customers announce so many prefixes', hosts: 'Hosts elsewhere are known', standby: 'Spare ways are ready', learning: 'Bridges learn so many addresses', rate: 'Parts of ports let so much through', routed: 'Hosts of segments reach each other',
  gateway: 'Leaves are gateways of segments', relay: 'Hosts get addresses from servers', exchange: 'Routes come in from other devices', bundle: 'Ports work as one',
  link: 'Links are up',
}
