/**
 * What a page may load and run: only what this server sends.
 *
 * @param nonce by which styles are known that the page's own code makes.
 */
export const contentPolicy = (nonce?: string): string =>
  [
    "default-src 'none'",
    "script-src 'self'",
    `style-src 'self'${nonce === undefined ? "" : ` 'nonce-${nonce}'`}`,
    "img-src 'self' data:",
    "connect-src 'self'",
    "font-src 'self'",
    "form-action 'self'",
    "base-uri 'none'",
    "frame-ancestors 'none'",
  ].join("; ");
