import { describe, expect, it } from 'vitest'
import type { Step } from '../src/api/types'
import { columns, folded, rows, timeLine } from '../src/features/orders/progress'

const step = (device: string, phase: string, result: Step['result'], text = ''): Step => ({ seq: 0, at: '', device, phase, result, text })

describe('the progress of an order', () => {
  it('keeps the last result of each phase, by device', () => {
    const [row] = rows(
      ['haven-pe1'],
      [step('haven-pe1', 'LOCK_AND_READ', 'STARTED'), step('haven-pe1', 'LOCK_AND_READ', 'OK'), step('ternsay-pe1', 'LOCK_AND_READ', 'FAILED')],
    )
    expect(row.cells.LOCK_AND_READ.result).toBe('OK')
    expect(row.cells.CONFIRMED_COMMIT).toBeUndefined()
  })

  it('shows the checks in every row: they are of all devices at once', () => {
    for (const row of rows(['haven-pe1', 'ternsay-pe1'], [step('', 'CHECKS', 'FAILED', 'no answer')])) {
      expect(row.cells.CHECKS).toEqual({ result: 'FAILED', text: 'no answer' })
    }
  })

  it('has a column for the rollback only where there was one', () => {
    expect(columns([step('a', 'CONFIRMED_COMMIT', 'OK')])).not.toContain('ROLL_BACK')
    expect(columns([step('a', 'ROLL_BACK', 'OK')])).toContain('ROLL_BACK')
  })

  it('lays what was done along the time it took, and the records across', () => {
    const at = (second: number, made: Step): Step => ({ ...made, at: `2026-11-25T10:00:0${second}Z` })
    const line = timeLine(
      ['haven-pe1', 'ternsay-pe1'],
      [
        at(0, step('haven-pe1', 'LOCK_AND_READ', 'STARTED')),
        at(1, step('haven-pe1', 'LOCK_AND_READ', 'OK')),
        at(2, step('', 'RECORD', 'PREPARED', 'ready')),
        at(4, step('haven-pe1', 'CONFIRMED_COMMIT', 'FAILED', 'no room')),
      ],
    )
    expect(line.millis).toBe(4000)
    expect(line.lines).toEqual([
      {
        device: 'haven-pe1',
        bars: [
          { phase: 'LOCK_AND_READ', result: 'OK', text: '', from: 0, to: 0.25 },
          { phase: 'CONFIRMED_COMMIT', result: 'FAILED', text: 'no room', from: 1, to: 1 },
        ],
      },
    ])
    expect(line.marks).toEqual([{ state: 'PREPARED', text: 'ready', at: 0.5, millis: 2000 }])
  })
})

it('shows the same step of a device once, with how often', () => {
  const told = folded([
    step('a', 'ROLL_BACK', 'IN_DOUBT', 'away'),
    step('b', 'ROLL_BACK', 'OK'),
    step('a', 'ROLL_BACK', 'IN_DOUBT', 'away'),
    step('a', 'ROLL_BACK', 'IN_DOUBT', 'back'),
  ])
  expect(told.map((each) => [each.step.device, each.step.text, each.times])).toEqual([
    ['a', 'away', 2],
    ['b', '', 1],
    ['a', 'back', 1],
  ])
})
