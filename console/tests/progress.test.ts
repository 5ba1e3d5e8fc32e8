import { describe, expect, it } from 'vitest'
import type { Step } from '../src/api/types'
import { columns, rows } from '../src/parts/progress'

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
})
