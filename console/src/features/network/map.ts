import type { Device } from '../../api/types'

export interface Spot {
  x: number
  y: number
}

/** Where each device is drawn: where the network document places it, and those it says nothing of on a circle. */
export function places(devices: Device[]): Record<string, Spot> {
  const strays = devices.filter((device) => device.at.length !== 2)
  const spots: Record<string, Spot> = {}
  for (const device of devices) {
    const angle = (2 * Math.PI * strays.indexOf(device)) / strays.length
    spots[device.name] = device.at.length === 2 ? { x: device.at[0], y: device.at[1] } : { x: 500 + 400 * Math.cos(angle), y: 360 + 300 * Math.sin(angle) }
  }
  return spots
}
