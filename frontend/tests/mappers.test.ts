import { Text } from '@codemirror/state'
import * as echarts from 'echarts'
import { afterEach, describe, expect, it, test } from 'vitest'
import { leadsTo } from '@/app/palette'
import { reachOf } from '@/parts/chart/bars'
import { chartOption } from '@/parts/chart/chartOption'
import { windowOf, type Inks } from '@/parts/chart/looks'
import { layPanes, paneNames, scaleOf } from '@/parts/chart/panes'
import { readings } from '@/parts/chart/readings'
import { barsOf } from '@/parts/chart/look'
import { joined } from '@/parts/chart/growing'
import { LAYER, PLAIN } from '@/parts/chart/layout'
import { distance } from '@/parts/chart/measure'
import { ticksOf } from '@/parts/chart/timeAxis'
import { named } from '@/features/imports/bring'
import { shown } from '@/parts/editor/completions'
import { drawn } from '@/parts/editor/picture'
import { diagnostics } from '@/parts/editor/diagnostics'
import type { Chart, Problem } from '@/shared/api'
import { barTime, day, decimals, figure, moment, needs, plural, price, span } from '@/shared/format'
import { preferences } from '@/shared/preferences'

describe('figures', () => {
  test.each([
    [0.01, 2],
    [1, 0],
    [0.25, 2],
    [0.05, 2],
    [5, 0],
    [0.00001, 5],
  ])('a tick of %d asks for %d digits', (tick, digits) => expect(decimals(tick)).toBe(digits))

  test.each([
    [null, '–'],
    [Number.NaN, '–'],
    [0, '0'],
    [42, '42'],
    [0.01234, '0.0123'],
    [1.2345, '1.23'],
    [123.45, '123.5'],
    [12345.6, '12,346'],
    [2_500_000, '2.50 m'],
    [-3_000_000_000, '−3.00 bn'],
  ])('%s is shown as %s', (value, text) => expect(figure(value)).toBe(text))

  it('writes prices by their tick, with thousands apart', () => {
    expect(price(1234.5, 0.01)).toBe('1,234.50')
    expect(price(1234.5, 1)).toBe('1,235')
  })

  it('writes days and moments in the coast’s time', () => {
    expect(day(1_781_481_600)).toBe('15 Jun 2026')
    expect(moment('2026-06-16T14:20:00Z')).toBe('Tue 16 Jun 2026 14:20 UTC')
    expect(plural(1, 'bar')).toBe('1 bar')
    expect(plural(3, 'bar')).toBe('3 bars')
  })
})

describe('completion', () => {
  const option = (text: string, rest = {}) => ({
    text,
    detail: 'what',
    insert: '',
    info: [],
    function: '',
    ...rest,
  })

  it('keeps the order of the server and goes on by itself while letters are typed', () => {
    const options = [option('close'), option('sma', { insert: 'sma(${1:close})' })]
    const found = shown({ start: 3, options, whole: true, wanted: true })
    expect(found.from).toBe(3)
    expect(found.options.map((o) => o.label)).toEqual(['close', 'sma'])
    expect(found.options[0]!.boost).toBeGreaterThan(found.options[1]!.boost!)
    expect((found.validFor as RegExp).test('sm')).toBe(true)
  })

  it('asks again where not all were sent, and after a quote takes more than letters', () => {
    const options = [option('stock count', { insert: 'stock count"' })]
    const some = shown({ start: 0, options, whole: false, wanted: true })
    expect(some.validFor).toBeUndefined()
    const all = shown({ start: 0, options, whole: true, wanted: true })
    expect((all.validFor as RegExp).test('stock c')).toBe(true)
  })
})

describe('the picture of a function', () => {
  const trace = { name: 'value', over: false, truth: false, values: [null, 1, 2, null, 3] }
  const picture = {
    formula: 'rsi',
    code: 'AB',
    bars: '1d',
    closes: [1, 2, 3, 2, 1],
    traces: [trace],
  }

  it('breaks its lines where nothing is known', () => {
    const lines = drawn(picture).querySelectorAll('path')
    expect(lines).toHaveLength(2)
    expect(lines[1]!.getAttribute('d')!.match(/M/g)).toHaveLength(2)
  })

  it('marks the bars on which a condition holds', () => {
    const truth = { ...trace, truth: true, values: [1, 0, null, 1, 1] }
    expect(drawn({ ...picture, traces: [truth] }).querySelectorAll('rect')).toHaveLength(3)
  })
})

describe('errors in the editor', () => {
  const problem = (line: number, column: number, length: number): Problem => ({
    code: 'x',
    message: 'wrong',
    mend: 'mend it',
    subject: null,
    place: { line, column, length },
  })
  const doc = Text.of(['close > 1', 'open'])

  test.each([
    [problem(1, 9, 1), [8, 9]],
    [problem(2, 1, 4), [10, 14]],
    [problem(1, 30, 5), [8, 13]],
    [problem(9, 1, 99), [10, 14]],
  ])('stand at their place, clipped to the text', (given, place) => {
    const [found] = diagnostics(doc, [given])
    expect([found!.from, found!.to]).toEqual(place)
    expect(found!.message).toBe('wrong — mend it')
  })

  it('without a place stand at the beginning', () => {
    const [found] = diagnostics(doc, [{ ...problem(1, 1, 1), place: null, mend: null }])
    expect([found!.from, found!.to, found!.message]).toEqual([0, 1, 'wrong'])
  })
})

const line = (label: string, pane: string, rest: object = {}) => ({
  text: label,
  label,
  unit: pane === 'price' ? 'price' : 'none',
  pane,
  span: null,
  levels: [],
  beside: '',
  conditions: [0],
  asked: 0,
  values: [1, null, 3],
  ...rest,
})
const sight = (shown: number, back = 0) => ({ shown, back })
const chart: Chart = {
  days: [],
  events: [],
  doubts: [],
  asked: [],
  earlier: false,
  forming: false,
  refused: [],
  code: 'ABC',
  name: 'Works',
  kind: 'share',
  currency: 'LMN',
  tick: 0.01,
  times: [0, 86_400, 172_800],
  open: [1, 2, 3],
  high: [2, 3, 4],
  low: [0.5, 1, 2],
  close: [2, 1, 3.5],
  volume: [10, 20, 30],
  lines: [line('EMA', 'price'), line('RSI', 'rsi', { span: [0, 100], levels: [70] })],
  bars: '1d',
  ranges: [null, 2, 2.25],
  smoothed: null,
  states: [],
  strip: [],
  gaps: [],
  reasons: [],
  reasons_now: [],
  provisional: false,
  fired_at: 86_400,
  bar_at: 172_800,
}
const inks: Inks = {
  ink: '#000',
  quiet: '#666',
  hair: '#ddd',
  sheet: '#fff',
  accent: '#707',
  rise: '#00f',
  fall: '#f00',
  lines: ['#1', '#2'],
}

describe('the chart', () => {
  const panes = layPanes(paneNames(chart), 600)
  const option = chartOption(chart, inks, panes, sight(2)) as Record<string, any> // eslint-disable-line @typescript-eslint/no-explicit-any

  it('has the price, the volume, and a pane for what is no price', () => {
    expect(paneNames(chart)).toEqual(['price', 'volume', 'rsi'])
    expect(option.grid).toHaveLength(3)
  })

  test.each([0.01, 0.000001])('bars stand above their volume, prices in steps of %d', (tick) => {
    const sheet = echarts.init(null, null, { renderer: 'svg', ssr: true, width: 800, height: 600 })
    sheet.setOption(chartOption({ ...chart, tick }, inks, panes, sight(2)))
    chart.times.forEach((_, bar) => {
      const places = panes.map((_, n) => sheet.convertToPixel({ xAxisIndex: n }, bar))
      expect(new Set(places).size).toBe(1)
    })
    sheet.dispose()
  })

  test.each([1, 2, 4, 7])('gives the price at least half with %d panes below', (below) => {
    const laid = layPanes(['price', ...Array.from({ length: below }, (_, n) => `p${n}`)], 700)
    const all = laid.reduce((sum, pane) => sum + pane.height, 0)
    expect(laid[0]!.height).toBeGreaterThan(all / 2)
    for (let n = 1; n < laid.length; n++)
      expect(laid[n]!.top).toBeGreaterThan(laid[n - 1]!.top + laid[n - 1]!.height)
  })

  it('gives an oscillator its fixed scale and its levels', () => {
    expect([option.yAxis[2].min, option.yAxis[2].max]).toEqual([0, 100])
    const rsi = option.series.find((s: { name?: string }) => s.name === 'RSI')
    expect(rsi.xAxisIndex).toBe(2)
    expect(rsi.markLine.data).toEqual([{ yAxis: 70 }])
  })

  it('marks the signal bar in every pane', () => {
    const marks = option.series.filter((s: { markLine?: { data: object[] } }) =>
      s.markLine?.data.some((d) => 'xAxis' in d),
    )
    expect(marks).toHaveLength(3)
    expect(marks[0].markLine.data).toEqual([{ xAxis: 1 }])
  })

  it('marks nothing when the signal bar is not among the bars', () => {
    const other = chartOption({ ...chart, fired_at: 5 }, inks, panes, sight(2)) as typeof option
    const data = other.series.flatMap(
      (s: { markLine?: { data: object[] } }) => s.markLine?.data ?? [],
    )
    expect(data.some((d: object) => 'xAxis' in d)).toBe(false)
  })

  it('begins with a window that ends at the newest bar', () => {
    expect(windowOf(400, sight(130))).toEqual({ startValue: 270, endValue: 399 })
    expect(windowOf(50, sight(130))).toEqual({ startValue: 0, endValue: 49 })
    expect(windowOf(400, sight(100, 50))).toEqual({ startValue: 250, endValue: 349 })
    expect(windowOf(400, sight(100, 999))).toEqual({ startValue: 0, endValue: 99 })
    expect(option.dataZoom[0].startValue).toBe(1)
  })

  it('reads the values at a bar, each for its pane, in the colour of its line', () => {
    const read = readings(chart, 1, inks)
    const text = (name: string) => read.find((r) => r.name === name)
    expect(text('C')?.text).toBe('1.00')
    expect(text('EMA')?.text).toBe('–')
    expect(text('RSI')?.pane).toBe('rsi')
    expect(text('RSI')?.colour).toBe('#2')
    expect(read[0]!.text).toBe('2 Jan 1970')
  })

  it('draws a ±1 line in steps', () => {
    const stepped = { ...chart, lines: [line('Side', 'side', { span: [-1, 1] })] } as Chart
    const made = chartOption(
      stepped,
      inks,
      layPanes(paneNames(stepped), 500),
      sight(3),
    ) as typeof option
    expect(made.series.find((s: { name?: string }) => s.name === 'Side').step).toBe('end')
  })
})

describe('the axis of time', () => {
  const DAY = 86_400
  const days = Array.from({ length: 1500 }, (_, n) => Date.UTC(2020, 0, 1) / 1000 + n * DAY)
  const quarters = Array.from({ length: 900 }, (_, n) => Date.UTC(2026, 2, 2) / 1000 + n * 900)

  it.each([
    ['years', days, 0, 1499, 8],
    ['months', days, 400, 600, 12],
    ['days', days, 700, 720, 10],
    ['hours', quarters, 0, 899, 10],
    ['bars', quarters, 40, 52, 12],
    ['one bar', days.slice(0, 1), 0, 0, 10],
    ['none', [], 0, -1, 10],
  ])('has room for its labels, and what is greater comes first: %s', (_, times, from, to, room) => {
    const ticks = ticksOf(times, from, to, room)
    const places = [...ticks.keys()].sort((a, b) => a - b)
    const apart = Math.ceil((to - from + 1) / room)
    expect(places.every((at) => at >= from && at <= to)).toBe(true)
    expect(places.slice(1).every((at, n) => at - places[n]! >= apart)).toBe(true)
    // A bar that is not labelled stands too near to one with which as much or more begins.
    for (let at = Math.max(1, from); at <= to; at++) {
      const year = new Date(times[at]! * 1000).getUTCFullYear()
      const begins = year !== new Date(times[at - 1]! * 1000).getUTCFullYear()
      if (begins && !ticks.has(at) && at - from >= apart / 3) {
        expect(places.some((p) => Math.abs(p - at) < apart && ticks.get(p)!.rank === 4)).toBe(true)
      }
    }
  })

  it('goes by the clock that was chosen within a day, and by their own date for days', () => {
    const at = (zone: string) => ticksOf(quarters, 0, 60, 61, zone).get(36)
    expect(at('UTC')).toEqual({ rank: 1, text: '09:00' })
    expect(at('Asia/Kolkata')).toEqual({ rank: 0, text: '14:30' })
    expect(at('America/Halifax')).toEqual({ rank: 1, text: '05:00' })
    const summer = [Date.UTC(2026, 6, 1, 9), Date.UTC(2026, 6, 1, 10)].map((t) => t / 1000)
    expect(ticksOf(summer, 0, 1, 9, 'Atlantic/Madeira').get(1)?.text).toBe('11:00')
    expect(ticksOf(days, 20, 40, 30, 'Pacific/Auckland').get(31)?.text).toBe('Feb')
  })

  it('tells what begins with a bar', () => {
    expect(ticksOf(days, 360, 370, 20).get(366)).toEqual({ rank: 4, text: '2021' })
    expect(ticksOf(days, 20, 40, 30).get(31)).toEqual({ rank: 3, text: 'Feb' })
    expect(ticksOf(quarters, 90, 100, 30).get(96)).toEqual({ rank: 2, text: '3' })
    expect(ticksOf(quarters, 34, 40, 30).get(36)).toEqual({ rank: 1, text: '09:00' })
  })
})

describe('moments', () => {
  const UTC = { ...preferences.value }
  afterEach(() => (preferences.value = UTC))

  it('are told by the clock that was chosen, days by their own date', () => {
    const nine = Date.UTC(2026, 5, 16, 9, 5) / 1000
    expect(barTime(nine)).toBe('16 Jun, 09:05 UTC')
    preferences.value = { ...UTC, zone: 'Asia/Kolkata', clock: '12 hours' }
    expect(barTime(nine)).toMatch(/^16 Jun, 02:35\s?pm GMT\+5:30$/)
    expect(moment('2026-06-16T20:00:00Z')).toContain('17 Jun 2026')
    expect(barTime(Date.UTC(2026, 5, 16) / 1000)).toBe('16 Jun 2026')
  })

  it('and figures have the digits that were chosen', () => {
    preferences.value = { ...UTC, digits: 3 }
    expect(figure(1.23456)).toBe('1.235')
    expect(figure(null)).toBe('–')
    preferences.value = UTC
    expect(figure(1.23456)).toBe('1.23')
  })
})

describe('what a column is', () => {
  it('is one thing at a time, and no two are the same', () => {
    const columns = { open: 'A', high: 'B' }
    expect(named(columns, 'C', 'low')).toEqual({ open: 'A', high: 'B', low: 'C' })
    expect(named(columns, 'B', 'open')).toEqual({ open: 'B' })
    expect(named(columns, 'A', '')).toEqual({ high: 'B' })
  })
})

describe('what the palette leads to', () => {
  const found = (kind: 'instrument' | 'universe' | 'run', key: string) => ({
    kind,
    key,
    name: key,
    note: '',
  })
  it('takes the place of the instrument on a chart, which stays as it is drawn', () => {
    const chart = { bars: '1w', line: 'ema(close, 9)', at: '77' }
    expect(leadsTo(found('instrument', 'A B'), chart)).toEqual({
      path: '/instruments/A%20B',
      query: { bars: '1w', line: 'ema(close, 9)', at: undefined },
    })
    expect(leadsTo(found('universe', 'Kelp'))).toMatchObject({ query: { universe: 'Kelp' } })
    expect(leadsTo(found('run', '7'))).toBe('/runs/7')
  })
})

describe('a line in states', () => {
  it('is wider where a state holds, and its key has the ink of the bar', () => {
    const states = [{ when: 'up', ink: 'rise' as const }]
    const layout = { ...PLAIN, layers: [{ ...LAYER, formula: 'rsi', width: 2, states }] }
    const own = {
      ...chart,
      lines: [line('rsi', 'own')],
      states: [{ text: 'up', values: [0, 1, 1] }],
    } as unknown as Chart
    const option = chartOption(own, inks, layPanes(paneNames(own), 500), sight(3), {
      scale: 'linear',
      drawing: 'line',
      room: 9,
      layout,
    })
    const drawn = (option.series as any[]).filter((s) => s.name === 'rsi') // eslint-disable-line @typescript-eslint/no-explicit-any
    const widths = drawn.map((s) => s.lineStyle)
    expect(widths[1].width).toBeGreaterThan(widths[0].width)
    expect(widths[1].color).toBe(inks.rise)
    const key = (bar: number) => readings(own, bar, inks, 'linear', 0, layout).at(-1)!.colour
    expect([key(0), key(2)]).toEqual([inks.lines[0], inks.rise])
  })
})

describe('measuring', () => {
  it('tells the way in price, percent, usual ranges, bars and days', () => {
    const down = distance(chart, { at: 2, price: 4 }, { at: 0, price: 3 })
    expect(down.slice(0, 2)).toEqual(['−1.00', '−25.00 %'])
    expect(down.slice(-2)).toEqual(['2 bars', '2 days'])
    const up = distance(chart, { at: 1, price: 2 }, { at: 2, price: 3 })
    expect(up).toEqual(['+1.00', '+50.00 %', '0.44 × ATR', '1 bar', '1 day'])
  })
})

describe('instruments beside each other', () => {
  const other = line('close of "OTHER"', 'own', { beside: 'OTHER', values: [50, 100, 75] })
  const two = { ...chart, lines: [other] } as Chart

  it('begin together in percent, and have panes of their own else', () => {
    expect(paneNames(two)).toContain('own')
    expect(paneNames(two, 'percent')).not.toContain('own')
    const option = chartOption(two, inks, layPanes(paneNames(two, 'percent'), 500), sight(3), {
      scale: 'percent',
      drawing: 'line',
      room: 9,
    })
    const series = option.series as { name?: string; data: unknown }[]
    expect(series.find((s) => s.name === 'close of "OTHER"')!.data).toEqual([0, 100, 50])
    const read = readings(two, 2, inks, 'percent', 0)
    expect(read.find((r) => r.name === 'OTHER')).toMatchObject({ text: '+50.0 %', pane: 'price' })
  })
})

describe('a chart that grows towards the past', () => {
  const drawn = line('ema', 'price')
  const older = {
    ...chart,
    earlier: true,
    events: [{ at: 1, kind: 'report' }],
    days: [2],
    lines: [drawn],
  }
  const newer = { ...chart, events: [{ at: 0, kind: 'rate' }], days: [1], lines: [drawn] }
  const whole = joined(older, newer)
  const bars = chart.times.length

  it('moves what stands at bars along with them', () => {
    expect(whole.times).toEqual([...older.times, ...newer.times])
    expect(whole.events).toEqual([
      { at: 1, kind: 'report' },
      { at: bars, kind: 'rate' },
    ])
    expect(whole.days).toEqual([2, bars + 1])
    expect(whole.earlier).toBe(true)
    expect(whole.lines[0]!.values).toHaveLength(2 * drawn.values.length)
  })

  it('knows nothing of a line before where it was refused there', () => {
    const without = joined({ ...older, lines: [] }, newer)
    expect(without.lines[0]!.values.slice(0, bars)).toEqual(Array(bars).fill(null))
  })

  it('counts the bars of a range, and asks for more where it reaches beyond the first', () => {
    const days = Array.from({ length: 100 }, (_, n) => n * 86_400)
    expect(barsOf('month', days)).toBe(31)
    expect(barsOf('day', days)).toBe(20)
    expect(barsOf('year', days)).toBe(Infinity)
    expect(barsOf('all', days)).toBe(Infinity)
    expect(barsOf('week', [])).toBe(Infinity)
  })
})

describe('history', () => {
  test.each([
    [1, [], '1 bar'],
    [200, [], '200 bars'],
    [12, [{ timeframe: '1w', bars: 40 }], '12 bars, 40 of 1w'],
  ])('%d bars and %j', (lookback, slower, told) => expect(needs({ lookback, slower })).toBe(told))
})

describe('moments and lengths of bars', () => {
  test.each([
    [0, '1 Jan 1970'],
    [86_400 * 200, '20 Jul 1970'],
    [86_400 * 200 + 36_900, '20 Jul, 10:15 UTC'],
  ])('the bar that opened at %d is told as %s', (seconds, told) =>
    expect(barTime(seconds)).toBe(told),
  )
  test.each([
    [0, 'trades'],
    [45, '45s'],
    [60, '1m'],
    [900, '15m'],
    [3600, '1h'],
    [86_400, '1d'],
    [172_800, '2d'],
  ])('%d seconds are %s', (seconds, told) => expect(span(seconds)).toBe(told))
})

describe('what would spoil a chart', () => {
  it('cuts a bad print off with its price, and nothing else', () => {
    const bad = { ...chart, high: [2, 30, 4], low: [0.5, 1, 0.1] }
    const reach = reachOf(bad)
    expect(Math.max(...reach.high)).toBeLessThan(5)
    expect(reach.cut.map((c) => [c.at, c.price])).toEqual([
      [1, 30],
      [0, 0.5],
      [2, 0.1],
    ])
    expect(reachOf({ ...chart, low: [1.9, 0.9, 2] }).cut).toEqual([])
  })

  test.each([
    [
      'all alike and within',
      [
        [0, 100],
        [0, 100],
      ],
      [50, 60],
      [0, 100],
    ],
    ['one without a scale', [[0, 100], null], [50, 60], undefined],
    [
      'two scales',
      [
        [0, 100],
        [-1, 1],
      ],
      [50, 0.5],
      undefined,
    ],
    ['one that leaves it', [[0, 100]], [120], undefined],
  ])('a pane has a fixed scale only for lines that share it: %s', (_, spans, values, scale) => {
    const lines = (spans as (number[] | null)[]).map((span, n) =>
      line(`L${n}`, 'own', { span, values: [null, (values as number[])[n]!] }),
    )
    expect(scaleOf({ ...chart, lines }, 'own')).toEqual(scale)
  })

  it('marks a gap between bars with what is missing', () => {
    const gaps = [{ at: 2, detail: '7 sessions without a bar' }]
    const option = chartOption({ ...chart, gaps }, inks, layPanes(paneNames(chart), 600), sight(3))
    expect(JSON.stringify(option)).toContain('"xAxis":2,"name":"7 sessions without a bar"')
  })
})
