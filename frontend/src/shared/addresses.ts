/** The page of an instrument; its code may hold what an address reads otherwise, such as a slash. */
export const instrumentAt = (code: string) => `/instruments/${encodeURIComponent(code)}`
/** A hit of a run to be reviewed, by its number; without one the next that waits. */
export const reviewAt = (run: number, hit?: number) =>
  `/runs/${run}/hits${hit === undefined ? '' : `/${hit}`}`
