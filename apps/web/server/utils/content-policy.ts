/** What pages may load and run: the application's own files, and inline scripts by the hash of their text. */
export function contentPolicy(scriptHashes: readonly string[]): string {
  const scripts = ["'self'", ...scriptHashes.map(hash => `'sha256-${hash}'`)].join(' ')
  return [
    "default-src 'self'",
    "img-src 'self' data: blob:",
    "style-src 'self' 'unsafe-inline'",
    `script-src ${scripts}`,
    "font-src 'self'",
    "connect-src 'self'",
    "object-src 'none'",
    "base-uri 'self'",
    "form-action 'self'",
    "frame-ancestors 'none'",
  ].join('; ')
}
