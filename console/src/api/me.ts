import { ref } from 'vue'
import { api, data } from './client'
import type { Me } from './types'

const me = ref<Me | null>(null)

/** Asks who is signed in, once for each sign-in. */
export async function meet() {
  me.value ??= await data(api.GET('/api/v1/me')).catch(() => null)
}

export function forget() {
  me.value = null
}

/** The name of whoever is signed in. */
export function myName(): string {
  return me.value?.name ?? ''
}

/** Whether whoever is signed in has a role, for anything or, where everywhere is said, for all tenants and sites. The service holds each request against it in any case; here it is what is offered. */
export function may(role: 'prepare' | 'run' | 'administer', everywhere = false): boolean {
  const covering = role === 'prepare' ? ['prepare', 'run'] : [role]
  return !!me.value?.grants.some((grant) => covering.includes(grant.role) && (!everywhere || (!grant.tenants && !grant.sites)))
}
