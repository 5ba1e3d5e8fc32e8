import type { Step } from '../api/types'
import { forward } from '../api/words'

export interface Cell { word: Step['word'] | 'NOT_YET'; text: string }
export interface Row { device: string; cells: Record<string, Cell> }

/** The phases that have a column: the way forward, and whatever else happened. */
export function columns(steps: Step[]): string[] {
  const beside = ['RELEASE', 'GO_BACK', 'BRING_FORWARD'].filter((phase) => steps.some((step) => step.phase === phase))
  // Only devices that cannot commit provisionally are changed at once.
  const way = forward.filter((phase) => phase !== 'CHANGE' || steps.some((step) => step.phase === phase))
  return [...way, ...beside]
}

/** One row a device, one cell a phase: the last word said about it. A proof is of all devices at once. */
export function rows(devices: string[], steps: Step[]): Row[] {
  return devices.map((device) => {
    const cells: Record<string, Cell> = {}
    for (const step of steps) {
      if (step.device === device || step.device === '') cells[step.phase] = { word: step.word, text: step.text }
    }
    return { device, cells }
  })
}
