import type { Result, Step } from '../../api/types'
import { forward } from '../../labels/labels'

export interface Cell {
  result: Result
  text: string
}
export interface Row {
  device: string
  cells: Record<string, Cell>
}

/** The phases that have a column: the way forward, and whatever else happened. */
export function columns(steps: Step[]): string[] {
  const others = ['EXTEND', 'RELEASE', 'ROLL_BACK', 'REAPPLY'].filter((phase) => steps.some((step) => step.phase === phase))
  // Only devices without confirmed commit have this phase.
  const way = forward.filter((phase) => phase !== 'CHANGE' || steps.some((step) => step.phase === phase))
  return [...way, ...others]
}

/** One row a device, one cell a phase: its last result. Checks are of all devices at once. */
export function rows(devices: string[], steps: Step[]): Row[] {
  return devices.map((device) => {
    const cells: Record<string, Cell> = {}
    for (const step of steps) {
      if (step.phase !== 'RECORD' && (step.device === device || step.device === '')) cells[step.phase] = { result: step.result as Result, text: step.text }
    }
    return { device, cells }
  })
}

export interface Bar {
  phase: string
  result: string
  text: string
  from: number
  to: number
}
export interface Line {
  device: string
  bars: Bar[]
}
export interface Mark {
  state: string
  text: string
  at: number
  millis: number
}

/** What was done when, each bar and each record between 0 and 1 of the time the order took. */
export function timeLine(devices: string[], steps: Step[]): { millis: number; lines: Line[]; marks: Mark[] } {
  const times = steps.map((step) => Date.parse(step.at))
  const first = Math.min(...times)
  const span = Math.max(Math.max(...times) - first, 1)
  const share = (step: Step) => (Date.parse(step.at) - first) / span
  const lines = ['', ...devices].map((device) => {
    const bars: Bar[] = []
    const begun = new Map<string, Step>()
    for (const step of steps.filter((each) => each.device === device && each.phase !== 'RECORD')) {
      if (step.result === 'STARTED') {
        begun.set(step.phase, step)
      } else {
        bars.push({ phase: step.phase, result: step.result, text: step.text, from: share(begun.get(step.phase) ?? step), to: share(step) })
      }
    }
    return { device, bars }
  })
  const marks = steps
    .filter((step) => step.phase === 'RECORD')
    .map((step) => ({ state: step.result, text: step.text, at: share(step), millis: Date.parse(step.at) - first }))
  return { millis: span, lines: lines.filter((line) => line.bars.length), marks }
}

/** Steps, where the same step of a device again and again is one, with how often. */
export function folded(steps: Step[]): { step: Step; times: number }[] {
  const told: { step: Step; times: number }[] = []
  for (const step of steps) {
    const last = told.filter((each) => each.step.device === step.device).at(-1)
    if (last && last.step.phase === step.phase && last.step.result === step.result && last.step.text === step.text) last.times++
    else told.push({ step, times: 1 })
  }
  return told
}
