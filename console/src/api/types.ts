// What the REST interface says, by the names that this console has for it. The types are made from docs/openapi.json (npm run types).
import type { components } from './described'

type Described = components['schemas']

export type Line = Described['NativeLine']
export type Outcome = Described['OutcomeView']
export type Preview = Described['PreviewView']
export type Placed = Described['PlacedView']
export type Order = Described['OrderView']
export type OrderDetail = Described['OrderDetail']
export type Step = Described['StepView']
export type Check = Described['OrderCheckView']
export type CheckResult = Described['CheckView']
export type LinkResult = Described['LinkView']
export type Port = Described['Port']
export type Device = Described['DeviceView']
export type DeviceDetail = Described['DeviceDetail']
export type Owner = Described['Owner']
export type Managed = Described['Managed']
/** A managed node that a device has otherwise than it was ordered. */
export type DriftedNode = Described['DriftedNode']
/** The same, as it is remembered until it is settled. */
export type Drift = Described['DriftView']
/** A service as lists have it. */
export type ServiceHead = Described['ServiceHeadView']
export type Service = Described['ServiceView']
export type ServiceDetail = Described['ServiceDetail']
export type Library = Described['LibraryView']
export type Failing = Described['FailingView']
export type Taken = Described['NumberView']
export type History = Described['HistoryView']
export type Clause = Described['Clause']
export type FootprintLine = Described['FootprintLine']
export type Setting = Described['Used']
export type Because = Described['Because']
export type Explained = Described['Explained']
export type Me = Described['Me']
export type Part = Described['Part']
/** together: services that would have to be in the same order. */
export type FieldError = Described['Problem']['errors'][number]

/** How a phase of an order went on a device. */
export type Result = 'STARTED' | 'WARNING' | 'OK' | 'FAILED' | 'IN_DOUBT'

/** A parameter of a model (JSON Schema), as forms are made from it. */
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
export interface Model extends Omit<Described['ModelView'], 'parameters'> {
  parameters: Schema
}
