import { Webhook } from "standardwebhooks";
import { YoroshiError } from "../core/index.js";
import { readEnvironment, type Project } from "../project/index.js";

const LEAST_SECRET_BYTES = 24;
const TIMEOUT_MS = 10_000;

/** Whether something may be sent to an address. @throws YoroshiError `callBackRefused`. */
export function checkCallBack(project: Project, address: string): void {
  const refuse = (problem: string): never => {
    throw new YoroshiError("callBackRefused", { problem });
  };
  if (!URL.canParse(address)) refuse("it is no address");
  const url = new URL(address);
  const { callBack } = project.settings.hosts;
  if (!callBack.includes(url.host))
    refuse(`its host is not among those that yoroshi.yaml names: \`hosts: { callBack: [${callBack.join(", ") || "…"}] }\``);
  const isHere = /^(localhost|127\.0\.0\.1|\[::1\])$/.test(url.hostname);
  if (url.protocol !== "https:" && !(url.protocol === "http:" && isHere)) refuse("it must begin with https://");
  if (url.username !== "" || url.password !== "") refuse("it must not carry a name or a password");
  webhookOf(project);
}

function webhookOf(project: Project): Webhook {
  const { secret } = project.settings.hosts;
  if (!secret)
    throw new YoroshiError("callBackRefused", {
      problem: "yoroshi.yaml names no secret to sign it by: `hosts: { secret: { env: NAME } }`",
    });
  const value = readEnvironment(project.root)(secret.env)?.replace(/^whsec_/, "");
  const bytes = Buffer.from(value ?? "", "base64");
  if (bytes.length < LEAST_SECRET_BYTES)
    throw new YoroshiError("callBackRefused", {
      problem: `the secret in ${secret.env} must be at least ${LEAST_SECRET_BYTES} bytes in base64 (\`openssl rand -base64 32\` makes one)`,
    });
  return new Webhook(bytes.toString("base64"));
}

/** Sends something, signed after the Standard Webhooks rules; whether it was taken. */
export async function sendCallBack(
  project: Project,
  address: string,
  about: { readonly id: string; readonly type: string; readonly data: unknown },
  signal: AbortSignal,
): Promise<boolean> {
  const at = new Date(project.clock.now());
  const body = JSON.stringify({ type: about.type, timestamp: at.toISOString(), data: about.data });
  try {
    const signature = webhookOf(project).sign(about.id, at, body);
    const response = await fetch(address, {
      method: "POST",
      redirect: "error",
      signal: AbortSignal.any([signal, AbortSignal.timeout(TIMEOUT_MS)]),
      headers: {
        "content-type": "application/json",
        "webhook-id": about.id,
        "webhook-timestamp": String(Math.floor(at.getTime() / 1000)),
        "webhook-signature": signature,
      },
      body,
    });
    await response.body?.cancel();
    return response.ok;
  } catch {
    return false; // it is tried again
  }
}
