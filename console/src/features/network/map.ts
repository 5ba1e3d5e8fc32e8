import type { Device } from '../../api/types'

export interface Spot {
  x: number
  y: number
}

/** Where each device is drawn: where the network document says it stands, and those it says nothing of on a circle. */
export function places(devices: Device[]): Record<string, Spot> {
  const strays = devices.filter((device) => device.at.length !== 2)
  const spots: Record<string, Spot> = {}
  for (const device of devices) {
    const turn = (2 * Math.PI * strays.indexOf(device)) / strays.length
    spots[device.name] = device.at.length === 2 ? { x: device.at[0], y: device.at[1] } : { x: 500 + 400 * Math.cos(turn), y: 360 + 300 * Math.sin(turn) }
  }
  return spots
}
