let asked = false

/** Ask the browser not to clear what is kept here when its disk runs short. It may say no; then all is as before. */
export async function askToPersist() {
  if (asked) return
  asked = true
  try {
    if (!(await navigator.storage.persisted())) await navigator.storage.persist()
  } catch {
    // a browser without it keeps what it keeps
  }
}
