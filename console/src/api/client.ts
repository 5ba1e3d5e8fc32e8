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
  return (
    document.cookie
      .split('; ')
      .find((cookie) => cookie.startsWith('XSRF-TOKEN='))
      ?.slice('XSRF-TOKEN='.length) ?? ''
  )
}

async function call(method: string, path: string, body?: string, headers: Record<string, string> = {}): Promise<Response> {
  const asked = signIns
  const response = await fetch('/api/v1' + path, { method, body, headers: { 'X-XSRF-TOKEN': decodeURIComponent(csrf()), ...headers } })
  if (response.ok) return response
  if (response.status === 401 && path !== '/session' && asked === signIns) signedOut()
  const problem = await response.json().catch(() => null)
  throw new Refusal(response.status, problem?.detail ?? `the service answered ${response.status}`, problem?.errors ?? [])
}

export async function get<T>(path: string): Promise<T> {
  return (await call('GET', path)).json()
}

/** A page of a list, and the path of the next one (RFC 8288); empty where no more follow. */
export interface Page<T> {
  items: T[]
  next: string
}

export async function page<T>(path: string): Promise<Page<T>> {
  const response = await call('GET', path)
  const next = /<\/api\/v1([^>]+)>; *rel="next"/.exec(response.headers.get('Link') ?? '')
  return { items: await response.json(), next: next?.[1] ?? '' }
}

/** All pages of a list. */
export async function all<T>(path: string): Promise<T[]> {
  const items: T[] = []
  for (let next = path; next;) {
    const found: Page<T> = await page<T>(next)
    items.push(...found.items)
    next = found.next
  }
  return items
}

export async function text(path: string): Promise<string> {
  return (await call('GET', path)).text()
}

export async function post<T>(path: string, body: string, headers: Record<string, string> = {}): Promise<T | null> {
  const response = await call('POST', path, body, { 'Content-Type': 'application/yaml', ...headers })
  const answer = await response.text()
  return answer ? JSON.parse(answer) : null
}

export async function signIn(user: string, password: string) {
  // A first answer brings the token that every later request has to show.
  await fetch('/api/v1/health')
  await call('POST', '/session', new URLSearchParams({ username: user, password }).toString(), {
    'Content-Type': 'application/x-www-form-urlencoded',
  })
  signIns++
}

export async function signOut() {
  await call('POST', '/session/end', '')
  signedOut()
}
