// Files that a person chooses instead of a link, or saves.
import type { Schemas } from '@/data/api'

export type FeedFile = Schemas['FeedFile']

/** The file as it is sent: its bytes in Base64. */
export const sent = (file: File): Promise<FeedFile> =>
  new Promise((resolve, reject) => {
    const reader = new FileReader()
    reader.onerror = () => reject(new Error(`${file.name} cannot be read: choose it again`))
    reader.onload = () => resolve({ name: file.name, content: (reader.result as string).replace(/^[^,]*,?/, '') })
    reader.readAsDataURL(file)
  })

/** Has the browser save a text as a file. */
export function save(name: string, mediaType: string, text: string): void {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(new Blob([text], { type: mediaType }))
  link.download = name
  link.click()
  URL.revokeObjectURL(link.href)
}
