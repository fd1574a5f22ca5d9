/**
 * While a button is pressed nothing moves away from under the pointer: what an answer changes on the page
 * waits until it is let go. Handles that are dragged are no buttons; answers follow them.
 */
let pressed = false
let waiting: (() => void)[] = []

function down(event: PointerEvent) {
  const on = event.target instanceof Element ? event.target.closest('button, a') : null
  pressed = event.button === 0 && on !== null
}
/** Once the click has been heard. */
function up() {
  if (pressed) window.setTimeout(letGo)
}
function letGo() {
  pressed = false
  const all = waiting
  waiting = []
  for (const go of all) go()
}
window.addEventListener('pointerdown', down, { capture: true })
for (const end of ['pointerup', 'pointercancel', 'blur'])
  window.addEventListener(end, up, { capture: true })

/** As soon as no button is pressed; at once where none is. */
export const released = (): Promise<void> | undefined =>
  pressed ? new Promise((resolve) => waiting.push(resolve)) : undefined
