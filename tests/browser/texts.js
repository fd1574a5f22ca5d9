// The texts on all charts of a page, drawn and beside the drawing, and which of them stand on another.
() => {
  const charts = []
  const walk = (node) => {
    if (!node || typeof node !== 'object') return
    const chart = node.component?.exposed?.chart?.value ?? node.component?.exposed?.chart
    if (chart?.getZr) charts.push(chart)
    if (node.component) walk(node.component.subTree)
    if (node.suspense) walk(node.suspense.activeBranch)
    if (Array.isArray(node.children)) node.children.forEach(walk)
  }
  walk(document.querySelector('#app')._vnode)
  const boxes = []
  const add = (text, x, y, w, h) => text.trim() && w && boxes.push({ text: text.trim(), x, y, w, h })
  for (const chart of charts) {
    const at = chart.getDom().getBoundingClientRect()
    for (const element of chart.getZr().storage.getDisplayList(true)) {
      if (element.type !== 'tspan' || element.ignore || element.invisible) continue
      const own = element.getBoundingRect().clone()
      if (element.transform) own.applyTransform(element.transform)
      add(String(element.style.text ?? ''), at.x + own.x, at.y + own.y, own.width, own.height)
    }
    const beside = document.createTreeWalker(chart.getDom().closest('.canvas'), NodeFilter.SHOW_TEXT)
    while (beside.nextNode()) {
      const range = document.createRange()
      range.selectNodeContents(beside.currentNode)
      const { x, y, width, height } = range.getBoundingClientRect()
      add(beside.currentNode.textContent, x, y, width, height)
    }
  }
  const over = (a, b) =>
    Math.min(a.x + a.w, b.x + b.w) - Math.max(a.x, b.x) > 1 &&
    Math.min(a.y + a.h, b.y + b.h) - Math.max(a.y, b.y) > 2
  return {
    texts: boxes.length,
    heights: charts.map((chart) => chart.getModel().getComponent('grid', 0).coordinateSystem.getRect().height),
    overlapping: boxes.flatMap((a, n) =>
      boxes.slice(n + 1).filter((b) => over(a, b)).map((b) => `${a.text} on ${b.text}`),
    ),
  }
}
