import type { CheckResult } from '../../api/types'

export interface Matrix {
  observation: string
  to: string[]
  rows: { from: string; cells: (CheckResult | null)[] }[]
}

/** One table for each kind of observation: from each place to each place, with the check that was made between them. */
export function matrices(checks: CheckResult[]): Matrix[] {
  return [...new Set(checks.map((check) => check.observation))].map((observation) => {
    const these = checks.filter((check) => check.observation === observation)
    const places = (end: 'from' | 'to') => [...new Set(these.map((check) => check[end]))].sort()
    const to = places('to')
    // Where each device is asked about something of its own, a list says as much.
    if (to.length === these.length && these.every((check) => check.to === check.from || check.to.startsWith(check.from + ' '))) {
      return { observation, to: [''], rows: to.map((end) => ({ from: end, cells: [these.find((check) => check.to === end) ?? null] })) }
    }
    // Of several checks between two places the one that fails is shown.
    const between = (from: string, end: string) => {
      const found = these.filter((check) => check.from === from && check.to === end)
      return found.find((check) => !check.passed) ?? found[0] ?? null
    }
    return { observation, to, rows: places('from').map((from) => ({ from, cells: to.map((end) => between(from, end)) })) }
  })
}
