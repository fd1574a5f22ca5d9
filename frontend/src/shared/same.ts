/** Whether two values say the same when they are sent. */
export const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)
