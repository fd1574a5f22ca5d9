/**
 * While a button is pressed nothing moves away from under the pointer: what an answer changes on the page
 * waits until it is let go. Handles that are dragged are no buttons; answers follow them.
 */
let down = false
let pressed = false
let waiting: (() => void)[] = []

function press(event: PointerEvent) {
  down = true
  const on = event.target instanceof Element ? event.target.closest('button, a') : null
  pressed = event.button === 0 && on !== null
}
/** Once the click has been heard. Of blurs only that of the window counts: a press blurs what had the focus. */
function up(event: Event) {
  if (event.type === 'blur' && event.target instanceof Element) return
  down = false
  if (pressed) window.setTimeout(letGo)
}
function letGo() {
  pressed = false
  const all = waiting
  waiting = []
  for (const go of all) go()
}
window.addEventListener('pointerdown', press, { capture: true })
for (const end of ['pointerup', 'pointercancel', 'blur'])
  window.addEventListener(end, up, { capture: true })

/** Whether the pointer is down on anything. */
export const pointerIsDown = () => down

/** As soon as no button is pressed; at once where none is. */
export const released = (): Promise<void> | undefined =>
  pressed ? new Promise((resolve) => waiting.push(resolve)) : undefined
