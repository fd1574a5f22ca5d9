/** Reasons offered for each verdict; any other can be typed into the note. */
export const REASONS: Record<string, string[]> = {
  take: ['clean break', 'volume agrees', 'room above', 'market agrees'],
  watch: ['wait for a pullback', 'wait for the close', 'wait for volume', 'report ahead'],
  drop: ['too extended', 'no room', 'too thin', 'against the market', 'ragged chart', 'bad data'],
}
export const VERDICTS = ['take', 'watch', 'drop'] as const
export type VerdictName = (typeof VERDICTS)[number]
