import { useQueryClient } from '@tanstack/vue-query'
import { onBeforeUnmount, ref, watch, type Ref } from 'vue'
import { keys } from '@/shared/queries'

export interface Progress {
  state: string
  done: number
  total: number
  hits: number
}

const AGAIN = 2_000

/** Progress of a run as the server tells it; the page's data are read again when it ends. */
export function useProgress(id: Ref<number>, running: Ref<boolean>) {
  const client = useQueryClient()
  const progress = ref<Progress>()
  let source: EventSource | undefined
  let timer = 0
  const close = () => {
    window.clearTimeout(timer)
    source?.close()
    source = undefined
  }
  function open(run: number) {
    source = new EventSource(`/api/runs/${run}/events`)
    // A stream that breaks is opened again by the browser, one that is refused is not; meanwhile the run
    // itself is asked.
    source.onerror = () => {
      client.invalidateQueries({ queryKey: ['run', run] })
      if (source?.readyState !== EventSource.CLOSED) return
      close()
      timer = window.setTimeout(() => open(run), AGAIN)
    }
    source.onmessage = (event) => {
      progress.value = JSON.parse(event.data) as Progress
      if (['queued', 'running'].includes(progress.value.state)) return
      close()
      for (const key of [['run', run], ['hits', run], keys.runs, keys.thread])
        client.invalidateQueries({ queryKey: key })
    }
  }
  watch(
    [id, running],
    ([run, isRunning]) => {
      close()
      if (isRunning) open(run)
    },
    { immediate: true },
  )
  onBeforeUnmount(close)
  return progress
}
