import type { Part } from '../../api/types'

/** How a part of the installation does, as pages show it; the worst has the lowest rank. */
export const conditions: Record<Part['condition'], { text: string; colour: string; rank: number }> = {
  BAD: { text: 'bad', colour: 'error', rank: 0 },
  TO_BE_LOOKED_AT: { text: 'to be looked at', colour: 'warning', rank: 1 },
  WELL: { text: 'well', colour: 'success', rank: 2 },
}
