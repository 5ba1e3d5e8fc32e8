// What the REST interface says, as this console reads it.

export interface Line {
  sign: 'AROUND' | 'COMES' | 'GOES'
  text: string
  at: string
}
export interface Outcome {
  service: string
  kind: 'ADD' | 'CHANGE' | 'REMOVE' | 'KEEP'
  leftOut: string
  componentOf: string | null
}
export interface Preview {
  changesNothing: boolean
  guarantee: string
  services: Outcome[]
  devices: Record<string, Line[]>
  digest: string
  drift: DriftedNode[]
  readAt: string | null
  expectedSeconds: number | null
}
export interface Order {
  id: number
  who: string
  reason: string
  state: string
  failure: string
  guarantee: string
  services: Outcome[]
  createdAt: string
  endedAt: string | null
  waitsBehind: { order: number; names: string[] }[]
  inDoubt: boolean
  faults: { device: string; tag: string; path: string; message: string; owners: { service: string; clause: string; pointer: string }[] }[]
}
/** How a phase of an order went on a device. */
export type Result = 'STARTED' | 'WARNING' | 'OK' | 'FAILED' | 'IN_DOUBT'

export interface Step {
  seq: number
  at: string
  device: string
  phase: string
  result: string
  text: string
}
export interface Check {
  seq: number
  service: string
  observation: string
  observer: string
  target: string
  covers: string
  passed: boolean
  value: string
  passedBefore: boolean | null
  valueBefore: string | null
  path: string
}
export interface CheckResult {
  observation: string
  wanted: boolean
  from: string
  to: string
  observer: string
  target: string
  covers: string
  passed: boolean
  value: string
  path: string
}
export interface LinkResult {
  a: string
  b: string
  up: boolean
  differences: string[]
}
export interface OrderDetail {
  order: Order
  document: string
  devices: Record<string, Line[]>
  events: Step[]
  checks: Check[]
  thinnedAt: string | null
}
export interface Port {
  name: string
  role: string
}
export interface Device {
  name: string
  family: string
  role: string
  site: string
  address: string
  trusted: boolean
  readAt: string | null
  heldBy: number | null
  drifted: number
  services: string[]
  at: number[]
  ports: Port[]
}
export interface Owner {
  service: string
  model: string
  clause: string
  origin: string
}
export interface Managed {
  path: string
  value: string
  prior: string | null
  owners: Owner[]
}
export interface DeviceDetail {
  device: Device
  hostKey: string | null
  managed: Managed[]
  drift: Drift[]
}
/** A managed node that a device has otherwise than it was ordered. */
export interface DriftedNode {
  device: string
  path: string
  ordered: string | null
  found: string | null
  services: string[]
}
/** The same, as it is remembered until it is settled. */
export interface Drift extends DriftedNode {
  foundAt: string
  readAt: string
  leftBy: string | null
  leftAt: string | null
  reason: string | null
}
/** A service as lists have it. */
export interface ServiceHead {
  name: string
  tenant: string
  model: string
  modelVersion: number
  devices: string[]
  componentOf: string | null
}
export interface Service extends ServiceHead {
  components: string[]
  parameters: Record<string, unknown>
}
/** What is published; and what of it, or of the folder that the service started from, cannot be in force. */
export interface Library {
  problems: { where: string; message: string }[]
}
export interface Failing {
  service: string
  checkedAt: string
  failures: string
  outOfDate: string
}
export interface Taken {
  pool: string
  within: string
  key: string
  number: number
  written: string
}
export interface History {
  order: number
  kind: string
  who: string
  reason: string
  at: string
}
export interface Clause {
  device: string
  name: string
  origin: string
  says: Record<string, unknown>
}
export interface FootprintLine {
  text: string
  at: string
  because: string[]
}
export interface ServiceDetail {
  service: Service | null
  clauses: Clause[]
  footprint: Record<string, FootprintLine[]>
  numbers: Taken[]
  history: History[]
  heldBy: number | null
  coverage: { checks: number; places: number; uncovered: string[] } | null
  drift: Drift[]
  outOfDate: { devices: string[]; fault: string }
  customersToFollow: { device: string; port: string }[]
}
export interface Setting {
  name: string
  value: unknown
  from: string
}
export interface Because {
  owner: Owner & { template: string }
  tenant: string
  said: Record<string, unknown>
  parameter: string
  settings: Setting[]
}
export interface Explained {
  path: string
  value: string
  drift: string
  prior: string | null
  because: Because[]
}
export interface Schema {
  type?: string
  title?: string
  description?: string
  properties?: Record<string, Schema>
  required?: string[]
  items?: Schema
  upfront?: boolean
  refers?: string
  at?: string
  of?: string[]
  format?: string
  examples?: unknown[]
  default?: unknown
  minItems?: number
  enum?: unknown[]
}
export interface Model {
  name: string
  version: number
  title: string
  description: string
  parameters: Schema
  source: string
}
/** together: services that would have to be in the same order. */
export interface FieldError {
  pointer: string
  detail: string
  together?: string[]
}
