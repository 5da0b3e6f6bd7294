import type { APIRoute } from 'astro'
import { methods } from '../../core'

export const prerender = false

/** The methods and their settings, the same as the command's `methods --json` gives. */
export const GET: APIRoute = () =>
  Response.json(
    methods.map(({ id, family, label, use, settings }) => ({
      id,
      family,
      label,
      use,
      settings: Object.entries(settings).map(([name, setting]) => ({ name, ...setting })),
    })),
  )
