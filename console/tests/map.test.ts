import { expect, it } from 'vitest'
import type { Device } from '../src/api/types'
import { places } from '../src/features/network/map'

const device = (name: string, at: number[]) => ({ name, at }) as Device

it('draws devices at their places, and the others apart from each other', () => {
  const spots = places([device('a', [10, 20]), device('b', []), device('c', [])])
  expect(spots.a).toEqual({ x: 10, y: 20 })
  expect(spots.b).not.toEqual(spots.c)
})
