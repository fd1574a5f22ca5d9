import type { RouteLocationNormalized, RouteLocationRaw, Router } from 'vue-router'
import { awaiting } from './awaiting'

/** The page that is being opened: its own file, or what it waits for, isn't there yet. */
let onTheWay: RouteLocationNormalized | undefined

/** Whether another page is being opened, or whether this one still is and none instead. */
export const isOnTheWay = (to = onTheWay) => to !== undefined && to === onTheWay

/** Notes which page is being opened; set up before all other guards. */
export function noteWay(router: Router) {
  let came = awaiting()
  const arrive = (to: RouteLocationNormalized) => {
    if (to !== onTheWay) return
    onTheWay = undefined
    came()
  }
  router.beforeEach((to) => {
    came()
    came = awaiting()
    onTheWay = to
  })
  router.afterEach(arrive)
  router.onError((_, to) => arrive(to))
}

/** A page's own step to another address, made by no hand: not where one has gone on to another page. */
export const settle = (router: Router, to: RouteLocationRaw) =>
  isOnTheWay() ? undefined : router.replace(to)
