import { ref } from 'vue'
import type { Router } from 'vue-router'

/** The page one wants to go to and whose file is not there any more; nothing while all are. */
export const outdated = ref<string>()

const GONE = /dynamically imported module|module script failed|preload/i

/** Say where a page's own file can't be loaded, as while the server is away or after it was changed. */
export function noteOutdated(router: Router) {
  router.onError((error, to) => {
    if (!(error instanceof Error) || !GONE.test(error.message)) throw error
    outdated.value = to.fullPath
  })
  router.afterEach(() => (outdated.value = undefined))
}
