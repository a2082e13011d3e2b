import { LEAST_SECRET_BYTES, secretOf, signedPost } from "../adapters/signed-post/index.js";
import { YoroshiError } from "../core/index.js";
import { readEnvironment, type Project } from "../project/index.js";

const refuse = (problem: string): never => {
  throw new YoroshiError("callBackRefused", { problem });
};

/** Whether something may be sent to an address. @throws YoroshiError `callBackRefused`. */
export function checkCallBack(project: Project, address: string): void {
  checkAddress(address);
  checkHost(project, address);
  secretFor(project);
}

/** An address that anything may be sent to at all. @throws YoroshiError `callBackRefused`. */
export function checkAddress(address: string): void {
  if (!URL.canParse(address)) refuse("it is no address");
  const url = new URL(address);
  const isHere = /^(localhost|127\.0\.0\.1|\[::1\])$/.test(url.hostname);
  if (url.protocol !== "https:" && !(url.protocol === "http:" && isHere)) refuse("it must begin with https://");
  if (url.username !== "" || url.password !== "") refuse("it must not carry a name or a password");
}

/** Its host is one that yoroshi.yaml names. @throws YoroshiError `callBackRefused`. */
export function checkHost({ settings }: Project, address: string): void {
  const { callBack } = settings.hosts;
  if (!callBack.includes(new URL(address).host))
    refuse(`its host is not among those that yoroshi.yaml names: \`hosts: { callBack: [${callBack.join(", ") || "…"}] }\``);
}

/** The secret in an environment variable, by which what is sent is signed. @throws YoroshiError `callBackRefused`. */
export function secretFor({ root, settings }: Project, named = settings.hosts.secret): string {
  if (!named) return refuse("yoroshi.yaml names no secret to sign it by: `hosts: { secret: { env: NAME } }`");
  return (
    secretOf(readEnvironment(root)(named.env)) ??
    refuse(`the secret in ${named.env} must be at least ${LEAST_SECRET_BYTES} bytes in base64 (\`openssl rand -base64 32\` makes one)`)
  );
}

/** Sends something, signed after the Standard Webhooks rules; whether it was taken. */
export async function sendCallBack(
  project: Project,
  address: string,
  about: { readonly id: string; readonly type: string; readonly data: unknown },
  signal: AbortSignal,
): Promise<boolean> {
  const at = project.clock.now();
  const body = JSON.stringify({ type: about.type, timestamp: new Date(at).toISOString(), data: about.data });
  const post = { url: address, secret: secretFor(project), id: about.id, at, body, contentType: "application/json", signal };
  // What is not taken is tried again.
  return (await signedPost(post)) === undefined;
}
