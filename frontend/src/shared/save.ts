/** Have the browser keep a text as a file. */
export function save(name: string, text: string, type: string) {
  const address = URL.createObjectURL(new Blob([text], { type }))
  const link = document.createElement('a')
  link.href = address
  link.download = name.replace(/[/\\\u0000-\u001f]/g, '-')
  link.click()
  URL.revokeObjectURL(address)
}
