import { useQueryClient } from '@tanstack/vue-query'
import { shallowRef, watch } from 'vue'
import { useRouter, type Router } from 'vue-router'
import { isOnTheWay } from './way'

/**
 * The moment that the whole desk looks from, as `2026-06-09T14:20:00Z`; undefined for the present. It
 * travels in the address, and with every request.
 */
export const asOf = shallowRef<string>()

/** As it is written in the address; undefined where that is no moment. */
const read = (told: unknown): string | undefined => {
  const time = typeof told === 'string' ? Date.parse(told) : NaN
  return Number.isNaN(time) ? undefined : written(time)
}
export const written = (milliseconds: number) =>
  new Date(milliseconds).toISOString().replace('.000', '')

/**
 * Links lead on from the moment that is looked from; an address with one of its own takes the desk there.
 * One that a page only carries along is none of its own: the desk may be on its way to another.
 */
export function carryMoment(router: Router) {
  router.afterEach((to, _, failure) => {
    if (!failure && to.query.asof !== asOf.value) void address(router, asOf.value)
  })
  router.beforeEach((to, from) => {
    const told = to.query.asof
    if (told !== undefined && told !== from.query.asof) asOf.value = read(told)
    if (told === asOf.value) return true
    return { ...to, query: { ...to.query, asof: asOf.value } }
  })
}

/** Whether something comes from a later moment than the one that the desk looks from. */
export const isLater = (moment: string | null | undefined) =>
  Boolean(asOf.value && moment && Date.parse(moment) > Date.parse(asOf.value))
/** Where a page is, looked at from its own moment where that is later than the desk's. */
export const from = (moment: string, path: string) =>
  isLater(moment) ? { path, query: { asof: moment } } : path

const address = (router: Router, moment: string | undefined) =>
  router.replace({ query: { ...router.currentRoute.value.query, asof: moment } })

/** Look from another moment, or from the present. A page that is being opened takes it when it is there. */
export async function lookFrom(router: Router, moment: string | undefined) {
  asOf.value = moment
  if (!isOnTheWay()) await address(router, moment)
}

/** A page of what comes from a later moment than the desk's takes the desk there as it is opened. */
export function useOwnMoment(of: () => { id: number; as_of: string } | undefined) {
  const router = useRouter()
  watch(
    () => of()?.id,
    () => {
      const own = of()
      if (own && isLater(own.as_of)) void lookFrom(router, written(Date.parse(own.as_of)))
    },
    { immediate: true },
  )
}

/** What was seen from other moments is forgotten. */
export function useMoments() {
  const client = useQueryClient()
  watch(asOf, () => {
    client.removeQueries({ queryKey: ['seen'], type: 'inactive' })
  })
}
