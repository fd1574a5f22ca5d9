/** The page of an instrument; its code may hold what an address reads otherwise, such as a slash. */
export const instrumentAt = (code: string) => `/instruments/${encodeURIComponent(code)}`
/** The hit of an instrument in a run, to be reviewed. */
export const reviewAt = (run: number | string, code: string) =>
  `/runs/${run}/review/${encodeURIComponent(code)}`
