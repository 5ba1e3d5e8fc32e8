// The service's constants in words, and how they are to be seen.

export const phases: Record<string, string> = {
  OPEN: 'open', LOOK: 'lock and look', PREPARE: 'edit and validate', COMMIT: 'commit provisionally', CHANGE: 'change', PROVE: 'prove',
  LOOK_AGAIN: 'read once more', CONFIRM: 'confirm', RELEASE: 'let go', GO_BACK: 'go back', BRING_FORWARD: 'bring forward',
}

export const forward = ['OPEN', 'LOOK', 'PREPARE', 'COMMIT', 'CHANGE', 'PROVE', 'LOOK_AGAIN', 'CONFIRM']

export const states: Record<string, { text: string; tone: string }> = {
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

/** A value of a clause or a setting in one line; what is empty, nought or no is left out of groups. */
export function inWords(value: unknown): string {
  if (Array.isArray(value)) return value.map(inWords).join(', ')
  if (value !== null && typeof value === 'object') {
    return Object.entries(value).filter(([, item]) => item !== '' && item !== 0 && item !== false).map(([name, item]) => `${name} ${inWords(item)}`).join(', ')
  }
  return String(value)
}

export function time(iso: string | null): string {
  return iso ? iso.slice(0, 19).replace('T', ' ') : ''
}

export function errorText(error: unknown): string {
  return error instanceof Error ? error.message : String(error)
}
