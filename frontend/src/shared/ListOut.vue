<script setup lang="ts">
import { useAct } from './act'
import Failed from './Failed.vue'
import { fetched, send } from './send'

/** A list leaves as a file as it is seen: its rows in their order, its columns; or as a
 * picture, where it is drawn. */
export type Values = readonly (string | number | boolean | null | undefined)[]
/** By name; as a list of names and columns where two may have one name. */
export type Column = readonly [string, Values]
export type Columns = Record<string, Values> | readonly Column[]
const props = defineProps<{
  name: string
  columns?: () => Columns | Promise<Columns>
  /** Where the server writes the file itself: its address, but for the format. */
  from?: string
  /** The list as it is drawn, where it is. */
  picture?: () => HTMLCanvasElement | undefined
}>()
const { act, busy, failure } = useAct()

/** Each column with a name of its own: a second one of a name is told by its number. */
function named(columns: Columns): [string, Values][] {
  const taken = new Set<string>()
  const all: readonly Column[] = Array.isArray(columns) ? columns : Object.entries(columns)
  return all.map(([name, values]) => {
    let own = name
    for (let n = 2; taken.has(own); n++) own = `${name} (${n})`
    taken.add(own)
    return [own, values]
  })
}
const write = (format: 'csv' | 'parquet') =>
  act('Not written', async () => {
    if (props.from) return handOver(await (await fetched(props.from, format)).blob(), format)
    if (!props.columns) return
    const given = await props.columns()
    const columns = named(given).map(([name, values]) => ({
      name,
      values: values.map((value) => value ?? null),
    }))
    const body = JSON.stringify({ name: props.name, format, columns })
    const reply = await send('/api/tables', 'application/json', body)
    handOver(await reply.blob(), format)
  })
function handOver(content: Blob, format: string) {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(content)
  link.download = `${props.name}.${format}`
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000)
}
const draw = () => props.picture?.()?.toBlob((content) => content && handOver(content, 'png'))
</script>

<template>
  <span class="out">
    <span class="quiet">as</span>
    <button class="button plain" :disabled="busy" @click="write('csv')">
      CSV<span class="visually-hidden"> of {{ name }}</span>
    </button>
    <button class="button plain" :disabled="busy" @click="write('parquet')">
      Parquet<span class="visually-hidden"> of {{ name }}</span>
    </button>
    <button v-if="picture" class="button plain" @click="draw">
      PNG<span class="visually-hidden"> of {{ name }}</span>
    </button>
    <Failed :failure="failure" />
  </span>
</template>

<style scoped>
.out {
  white-space: nowrap;
}
</style>
