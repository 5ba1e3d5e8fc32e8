import { expect, it } from 'vitest'
import type { CheckResult } from '../src/api/types'
import { matrices } from '../src/features/monitoring/matrix'

const made = (observation: string, from: string, to: string, passed = true): CheckResult => ({
  observation,
  from,
  to,
  passed,
  wanted: true,
  observer: from,
  target: to,
  covers: 'TO_THE_HANDOFF',
  value: '',
  path: '',
})

it('shows each kind of observation from each place to each place', () => {
  const [frames, wire] = matrices([made('frames', 'a 1', 'b 1'), made('frames', 'a 1', 'c 1'), made('wire', 'b', 'a')])
  expect(frames.to).toEqual(['b 1', 'c 1'])
  expect(frames.rows.map((row) => row.from)).toEqual(['a 1'])
  expect(wire.rows).toEqual([{ from: 'b', cells: [made('wire', 'b', 'a')] }])
})

it('leaves a cell empty where there is no check, and shows a failed check before a passed one', () => {
  const [routes] = matrices([made('route', 'a', 'b'), made('route', 'a', 'b', false), made('route', 'b', 'c')])
  expect(routes.rows[0].cells.map((check) => check?.passed)).toEqual([false, undefined])
  expect(routes.rows[1].cells[0]).toBeNull()
})

it('lists what each device is asked about its own tables', () => {
  const [origins] = matrices([made('origins', 'b', 'b VPN-1'), made('origins', 'a', 'a VPN-1')])
  expect(origins.to).toEqual([''])
  expect(origins.rows.map((row) => [row.from, row.cells.length])).toEqual([
    ['a VPN-1', 1],
    ['b VPN-1', 1],
  ])
})
