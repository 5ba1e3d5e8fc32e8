import { ref } from 'vue'
import { get } from './client'

/** A role, and what it holds for: null for all. */
interface Grant {
  role: string
  tenants: string[] | null
  sites: string[] | null
}

interface Me {
  name: string
  grants: Grant[]
}

const me = ref<Me | null>(null)

/** Asks who is signed in, once for each sign-in. */
export async function meet() {
  me.value ??= await get<Me>('/me').catch(() => null)
}

export function forget() {
  me.value = null
}

/** The name of whoever is signed in. */
export function myName(): string {
  return me.value?.name ?? ''
}

/** Whether whoever is signed in has a role, for anything or, where everywhere is said, for all tenants and sites. The service holds each request against it in any case; here it is what is offered. */
export function may(role: 'prepare' | 'run', everywhere = false): boolean {
  const covering = role === 'prepare' ? ['prepare', 'run'] : ['run']
  return !!me.value?.grants.some((grant) => covering.includes(grant.role) && (!everywhere || (!grant.tenants && !grant.sites)))
}
