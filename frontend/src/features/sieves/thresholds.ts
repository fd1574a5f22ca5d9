import { computed, ref, type ComputedRef, type Ref } from 'vue'
import type { Preview, Schemas, Sieve } from '@/shared/api'

export type Scale = Schemas['Scaled']
export type Grip = Schemas['Grip']

/** A value on the steps of a scale, within what may be written there. */
export function onStep(grip: Grip, value: number): number {
  const steps = Math.round(value / grip.step)
  const digits = Math.max(0, Math.min(10, Math.ceil(-Math.log10(grip.step)) + 1))
  const found = Number((steps * grip.step).toFixed(digits))
  return grip.least !== null && grip.sign * found < grip.least ? grip.sign * grip.least : found
}

/** A number as a formula has it: never with a power of ten. */
export function written(value: number): string {
  const shortest = String(Number(value.toPrecision(10)))
  return shortest.includes('e') ? value.toFixed(10).replace(/\.?0+$/, '') : shortest
}

/** A condition's text with other thresholds for some of its scales. */
export function rewritten(
  text: string,
  scales: readonly Scale[],
  values: ReadonlyMap<number, number>,
): string {
  const changed = [...values].flatMap(([n, value]) => {
    const grip = scales[n]?.grip
    return grip ? [{ grip, value }] : []
  })
  // From the end of the text to its beginning, so that places before stay where they are.
  changed.sort((a, b) => b.grip.start - a.grip.start)
  return changed.reduce((done, { grip, value }) => {
    const own = `${grip.prefix}${written(grip.sign * value)}${grip.suffix}`
    return done.slice(0, grip.start) + own + done.slice(grip.end)
  }, text)
}

interface Base {
  text: string
  scales: readonly Scale[]
  values: Map<number, number>
  now: string
}

/**
 * The thresholds of a draft, moved where they stand. Places in a text are known of the one that was sifted;
 * what is moved from there on is written into that, until a newer one has been sifted. Those in `together`
 * move with each other, each by as many spreads of its own, all looser or all tighter.
 */
export function useThresholds(
  draft: Ref<Sieve>,
  preview: Ref<Preview | undefined>,
  about: ComputedRef<Sieve | undefined>,
) {
  const bases = ref(new Map<number, Base>())
  const together = ref(new Set<string>())
  const key = (condition: number, scale: number) => `${condition} ${scale}`
  function baseOf(condition: number): Base | undefined {
    const text = draft.value.conditions[condition]?.formula
    if (text === undefined) return
    const scales = preview.value?.scales[condition]
    if (scales && about.value?.conditions[condition]?.formula === text)
      return { text, scales, values: new Map(), now: text }
    const kept = bases.value.get(condition)
    return kept?.now === text ? kept : undefined
  }
  /** What each condition measures, with the thresholds as they are written now. */
  const scales = computed(() =>
    draft.value.conditions.map((_, n) => {
      const base = baseOf(n)
      return (base?.scales ?? []).map((scale, m) => ({
        ...scale,
        threshold: base?.values.get(m) ?? scale.threshold,
      }))
    }),
  )
  function write(condition: number, scale: number, value: number) {
    const base = baseOf(condition)
    const grip = base?.scales[scale]?.grip
    if (!base || !grip) return
    const values = new Map(base.values).set(scale, onStep(grip, value))
    const now = rewritten(base.text, base.scales, values)
    bases.value.set(condition, { ...base, values, now })
    draft.value.conditions[condition]!.formula = now
  }
  /** By how many spreads a threshold is looser than another one. */
  const looser = (scale: Scale, from: number, to: number) =>
    ((scale.passes === 'below' ? 1 : -1) * (to - from)) / scale.spread
  function move(condition: number, scale: number, value: number) {
    const own = scales.value[condition]?.[scale]
    if (!own?.grip) return
    const by = looser(own, own.threshold, onStep(own.grip, value))
    const before = scales.value
    write(condition, scale, value)
    if (!together.value.has(key(condition, scale))) return
    for (const other of together.value) {
      const [c, s] = other.split(' ').map(Number) as [number, number]
      const scaled = before[c]?.[s]
      if (!scaled || other === key(condition, scale)) continue
      const sign = scaled.passes === 'below' ? 1 : -1
      write(c, s, scaled.threshold + sign * by * scaled.spread)
    }
  }
  function tie(condition: number, scale: number) {
    const own = key(condition, scale)
    if (!together.value.delete(own)) together.value.add(own)
  }
  const tied = (condition: number, scale: number) => together.value.has(key(condition, scale))
  return { scales, move, tie, tied, together }
}
