import { createHash } from 'node:crypto'
import { contentPolicy } from '../utils/content-policy'

/** Lets the scripts that a page carries run, and no others: each is named by the hash of its text. */
export default defineNitroPlugin(nitro => {
  nitro.hooks.hook('render:response', response => {
    if (typeof response.body !== 'string') return
    const scripts = [...response.body.matchAll(/<script(?![^>]*\ssrc=)[^>]*>([\s\S]*?)<\/script>/g)].map(([, text]) =>
      createHash('sha256').update(text!).digest('base64'),
    )
    response.headers = { ...response.headers, 'content-security-policy': contentPolicy(scripts) }
  })
})
