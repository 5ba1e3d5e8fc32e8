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
