import { computed, shallowRef, type Ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { viewRead, viewTold, type View } from './plane'

/** So many regions lead back one after another. */
const DEEP = 30

/**
 * The part of a plane that is looked at: the whole, or a region, which is in the address. While it is being
 * moved it is `passing`.
 */
export function useRegions(whole: Ref<View>) {
  const route = useRoute()
  const router = useRouter()
  const region = computed(() => viewRead(route.query.in))
  const passing = shallowRef<View>()
  const trace = shallowRef<(View | undefined)[]>([])
  const sight = computed(() => passing.value ?? region.value ?? whole.value)
  const tell = (to: View | undefined) =>
    void router.replace({ query: { ...route.query, in: to && viewTold(to) } })
  /** Look at a part; `rest` when it is where it was meant to be. */
  function look(to: View, rest: boolean) {
    passing.value = rest ? undefined : to
    if (!rest) return
    trace.value = [...trace.value.slice(-DEEP), region.value]
    tell(to)
  }
  function back() {
    const to = trace.value.at(-1)
    trace.value = trace.value.slice(0, -1)
    passing.value = undefined
    tell(to)
  }
  function forget() {
    trace.value = []
    if (route.query.in) tell(undefined)
  }
  return { sight, region, passing, look, back, forget }
}
