import { useQueryClient } from '@tanstack/vue-query'
import { onBeforeUnmount, ref, watch, type Ref } from 'vue'
import { keys } from '@/shared/queries'

export interface Progress {
  state: string
  done: number
  total: number
  hits: number
}

/** Progress of a run as the server tells it; the page's data are read again when it ends. */
export function useProgress(id: Ref<number>, running: Ref<boolean>) {
  const client = useQueryClient()
  const progress = ref<Progress>()
  let source: EventSource | undefined
  const close = () => {
    source?.close()
    source = undefined
  }
  watch(
    [id, running],
    ([run, isRunning]) => {
      close()
      if (!isRunning) return
      source = new EventSource(`/api/runs/${run}/events`)
      // A stream that breaks is opened again by the browser; meanwhile the run itself is asked.
      source.onerror = () => client.invalidateQueries({ queryKey: ['run', run] })
      source.onmessage = (event) => {
        progress.value = JSON.parse(event.data) as Progress
        if (['queued', 'running'].includes(progress.value.state)) return
        close()
        for (const key of [['run', run], ['hits', run], keys.runs, keys.thread])
          client.invalidateQueries({ queryKey: key })
      }
    },
    { immediate: true },
  )
  onBeforeUnmount(close)
  return progress
}
