/** A text as it stands in HTML. */
export function escaped(text: string): string {
  const marks: Readonly<Record<string, string>> = {
    '&': '&amp;',
    '<': '&lt;',
    '>': '&gt;',
    '"': '&quot;',
    "'": '&#39;',
  }
  return text.replace(/[&<>"']/g, (mark) => marks[mark] as string)
}
