import { notify } from '../state/notices'

/** not among what is needed to begin */
const AFTER_MS = 4000

/** Have the browser keep the app, so that it opens without its server once it was here. */
export function keepOffline() {
  if (!import.meta.env.PROD || !('serviceWorker' in navigator)) return
  setTimeout(() => {
    void navigator.serviceWorker.register('/sw.js', { updateViaCache: 'none' }).then(
      // a browser that is told to have no such workers may give nothing
      (registration?: ServiceWorkerRegistration) => {
        registration?.addEventListener('updatefound', () => {
          const next = registration.installing
          next?.addEventListener('statechange', () => {
            if (next.state === 'installed' && navigator.serviceWorker.controller)
              notify({
                tone: 'plain',
                text: 'A newer Zumbet is here. It opens when all windows of this one are closed.',
              })
          })
        })
      },
      // a private window may keep nothing: everything works as long as the server is there
      () => undefined,
    )
  }, AFTER_MS)
}
