import { describe, expect, it } from 'vitest'
import type { Step } from '../src/api/types'
import { columns, folded, goesBack, rows, timeLine } from '../src/parts/progress'

const step = (device: string, phase: string, word: Step['word'], text = ''): Step => ({ seq: 0, at: '', device, phase, word, text })

describe('the progress of an order', () => {
  it('keeps the last word of each phase, by device', () => {
    const [row] = rows(['haven-pe1'], [step('haven-pe1', 'LOOK', 'BEGINS'), step('haven-pe1', 'LOOK', 'SUCCEEDS'), step('ternsay-pe1', 'LOOK', 'FAILS')])
    expect(row.cells.LOOK.word).toBe('SUCCEEDS')
    expect(row.cells.COMMIT).toBeUndefined()
  })

  it('shows a proof in every row: it is of all devices at once', () => {
    for (const row of rows(['haven-pe1', 'ternsay-pe1'], [step('', 'PROVE', 'FAILS', 'no answer')])) {
      expect(row.cells.PROVE).toEqual({ word: 'FAILS', text: 'no answer' })
    }
  })

  it('has a column for the way back only where there was one', () => {
    expect(columns([step('a', 'COMMIT', 'SUCCEEDS')])).not.toContain('GO_BACK')
    expect(columns([step('a', 'GO_BACK', 'SUCCEEDS')])).toContain('GO_BACK')
  })

  it('lays what was done along the time it took, and the records across', () => {
    const at = (second: number, made: Step): Step => ({ ...made, at: `2026-11-25T10:00:0${second}Z` })
    const line = timeLine(['haven-pe1', 'ternsay-pe1'], [
      at(0, step('haven-pe1', 'LOOK', 'BEGINS')), at(1, step('haven-pe1', 'LOOK', 'SUCCEEDS')), at(2, step('', 'RECORD', 'ARMED', 'ready')),
      at(4, step('haven-pe1', 'COMMIT', 'FAILS', 'no room')),
    ])
    expect(line.millis).toBe(4000)
    expect(line.lines).toEqual([{ device: 'haven-pe1', bars: [
      { phase: 'LOOK', word: 'SUCCEEDS', text: '', from: 0, to: 0.25 }, { phase: 'COMMIT', word: 'FAILS', text: 'no room', from: 1, to: 1 }] }])
    expect(line.marks).toEqual([{ state: 'ARMED', text: 'ready', at: 0.5, millis: 2000 }])
  })
})

it('knows an order that goes back, and one that was tried again since', () => {
  const failed = [step('', 'RECORD', 'HELD'), step('a', 'LOOK', 'BEGINS'), step('a', 'LOOK', 'FAILS')]
  expect(goesBack(failed.slice(0, 2))).toBe(false)
  expect(goesBack(failed)).toBe(true)
  expect(goesBack([...failed, step('', 'RECORD', 'HELD'), step('a', 'LOOK', 'BEGINS')])).toBe(false)
})

it('tells once what a device says again and again', () => {
  const told = folded([step('a', 'GO_BACK', 'IN_DOUBT', 'away'), step('b', 'GO_BACK', 'SUCCEEDS'), step('a', 'GO_BACK', 'IN_DOUBT', 'away'), step('a', 'GO_BACK', 'IN_DOUBT', 'back')])
  expect(told.map((each) => [each.step.device, each.step.text, each.times])).toEqual([['a', 'away', 2], ['b', '', 1], ['a', 'back', 1]])
})
