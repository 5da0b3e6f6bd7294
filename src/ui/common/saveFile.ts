/** Hand something to the browser's downloads: a blob, or a data URL. */
export function saveFile(content: Blob | string, name: string) {
  const link = document.createElement('a')
  link.href = typeof content === 'string' ? content : URL.createObjectURL(content)
  link.download = name
  link.click()
  if (typeof content !== 'string') setTimeout(() => URL.revokeObjectURL(link.href), 60_000)
}
