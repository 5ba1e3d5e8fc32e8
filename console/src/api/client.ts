import createClient from 'openapi-fetch'
import type { paths } from './described'
import type { FieldError } from './types'

/** An answer that says what is wrong: a problem (RFC 9457) with the fields at fault. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly errors: FieldError[] = [],
  ) {
    super(message)
  }
}

let signedOut: () => void = () => {}
// Sign-ins so far: what was asked before the last one says nothing about it.
let signIns = 0

/** What to do when the session has ended. */
export function onSignedOut(action: () => void) {
  signedOut = action
}

function csrf(): string {
  return decodeURIComponent(
    document.cookie
      .split('; ')
      .find((cookie) => cookie.startsWith('XSRF-TOKEN='))
      ?.slice('XSRF-TOKEN='.length) ?? '',
  )
}

async function refusal(response: Response): Promise<Refusal> {
  const problem = await response.json().catch(() => null)
  return new Refusal(response.status, problem?.detail ?? `the service answered ${response.status}`, problem?.errors ?? [])
}

/** The interface, with the addresses, parameters and answers of its description. A refusal is thrown. */
export const api = createClient<paths>({
  baseUrl: location.origin,
  fetch: async (request) => {
    const asked = signIns
    request.headers.set('X-XSRF-TOKEN', csrf())
    const response = await fetch(request)
    if (response.ok) return response
    if (response.status === 401 && asked === signIns) signedOut()
    throw await refusal(response)
  },
})

/** What was answered. */
export async function data<T>(answer: Promise<{ data?: T }>): Promise<T> {
  return (await answer).data as T
}

/** A document as the body of a request, as somebody has written it. */
export function written(document: string, headers: Record<string, string> = {}) {
  return { body: document as never, bodySerializer: (body: unknown) => body as string, headers: { 'Content-Type': 'application/yaml', ...headers } }
}

/** A page of a list, and the parameters of the next one (RFC 8288); null where no more follow. */
export interface Page<T> {
  items: T[]
  next: Record<string, string> | null
}

export async function page<T>(answer: Promise<{ data?: T[]; response: Response }>): Promise<Page<T>> {
  const { data: items, response } = await answer
  const next = /<([^>]+)>; *rel="next"/.exec(response.headers.get('Link') ?? '')
  return { items: items as T[], next: next && Object.fromEntries(new URL(next[1], location.origin).searchParams) }
}

/** All pages of a list, each asked for with the parameters that the one before says. */
export async function all<T>(ask: (query: object) => Promise<{ data?: T[]; response: Response }>): Promise<T[]> {
  const items: T[] = []
  for (let next: Record<string, string> | null = {}; next;) {
    const found: Page<T> = await page(ask(next))
    items.push(...found.items)
    next = found.next
  }
  return items
}

async function session(path: string, body: string) {
  const response = await fetch('/api/v1' + path, {
    method: 'POST',
    body,
    headers: { 'X-XSRF-TOKEN': csrf(), 'Content-Type': 'application/x-www-form-urlencoded' },
  })
  if (!response.ok) throw await refusal(response)
}

export async function signIn(user: string, password: string) {
  // A first answer brings the token that every later request has to show.
  await fetch('/api/v1/health')
  await session('/session', new URLSearchParams({ username: user, password }).toString())
  signIns++
}

export async function signOut() {
  await session('/session/end', '')
  signedOut()
}
