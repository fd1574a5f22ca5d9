/** Files as a tar archive (POSIX ustar), made of their own bytes without reading them. */
const BLOCK = 512
const NAME = 100
const encoder = new TextEncoder()

/** As much of the end of a name as a header holds. */
function fitting(name: string): Uint8Array {
  const signs = [...name]
  while (encoder.encode(signs.join('')).length > NAME) signs.shift()
  return encoder.encode(signs.join(''))
}

const octal = (value: number, width: number) => value.toString(8).padStart(width - 1, '0') + '\0'

function header(file: File): Uint8Array<ArrayBuffer> {
  const bytes = new Uint8Array(BLOCK)
  const put = (at: number, text: string) => bytes.set(encoder.encode(text), at)
  bytes.set(fitting(file.name), 0)
  put(100, octal(0o644, 8))
  put(108, octal(0, 8))
  put(116, octal(0, 8))
  put(124, octal(file.size, 12))
  put(136, octal(Math.floor(file.lastModified / 1000), 12))
  put(148, '        ')
  put(156, '0')
  put(257, 'ustar\x0000')
  const sum = bytes.reduce((all, byte) => all + byte, 0)
  put(148, octal(sum, 7) + ' ')
  return bytes
}

export function archive(files: readonly File[]): Blob {
  const parts = files.flatMap((file) => {
    const padding = (BLOCK - (file.size % BLOCK)) % BLOCK
    return [header(file), file, new Uint8Array(padding)]
  })
  return new Blob([...parts, new Uint8Array(2 * BLOCK)])
}

const MOST_FILES = 100
const MOST_BYTES = 32 * 1024 * 1024

/** Files in parcels that are sent one after the other, so that one sees how far it is. */
export function parcels(files: readonly File[]): File[][] {
  const all: File[][] = [[]]
  let size = 0
  for (const file of files) {
    const last = all.at(-1)!
    if (last.length && (last.length === MOST_FILES || size + file.size > MOST_BYTES)) {
      all.push([file])
      size = file.size
    } else {
      last.push(file)
      size += file.size
    }
  }
  return all
}
