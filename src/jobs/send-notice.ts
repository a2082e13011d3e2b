import { signedPost } from "../adapters/signed-post/index.js";
import { isYoroshiError, keyColumnsOf, YoroshiError, type AfterRule, type Messenger, type NoticeRecord, type Plan } from "../core/index.js";
import { readEnvironment, type Project } from "../project/index.js";
import { checkAddress, checkHost, secretFor } from "./call-back.js";

type Notify = NonNullable<AfterRule["notify"]>;

/** Where the messages of a rule go, and the secret that signs them. @throws YoroshiError `callBackRefused`. */
export function receiverOf(project: Project, { url: named, secret }: Notify): { readonly url: string; readonly secret: string } {
  const url = typeof named === "string" ? named : readEnvironment(project.root)(named.env);
  if (url === undefined || url === "")
    throw new YoroshiError("callBackRefused", { problem: `the environment variable ${(named as { env: string }).env} is not set` });
  checkAddress(url);
  // What stands in the environment was put there by whoever runs it; what stands in a plan may come from elsewhere.
  if (typeof named === "string") checkHost(project, url);
  return { url, secret: secretFor(project, secret) };
}

/**
 * Sends the messages of rules as events after CloudEvents 1.0 (HTTP, structured mode), signed after the Standard Webhooks rules. Of the row
 * it carries the key and the columns that the rule names, nothing else.
 */
export function noticeSender(project: Project, plan: Plan): Messenger {
  return async (to, notice, signal) => {
    try {
      const { url, secret } = receiverOf(project, to);
      const body = JSON.stringify(cloudEvent(plan, notice));
      return await signedPost({
        url,
        secret,
        id: notice.id,
        at: project.clock.now(),
        body,
        contentType: "application/cloudevents+json",
        signal: signal as AbortSignal | undefined,
      });
    } catch (error) {
      if (isYoroshiError(error)) return error.message;
      throw error;
    }
  };
}

/** The event that tells of a row. */
export function cloudEvent(
  { name, table }: Pick<Plan, "name" | "table">,
  { id, rule, key, at, columns }: NoticeRecord,
): Record<string, unknown> {
  return {
    specversion: "1.0",
    id,
    source: `/plans/${encodeURIComponent(name)}/rules/${encodeURIComponent(rule)}`,
    type: "yoroshi.row",
    subject: key,
    time: new Date(at).toISOString(),
    datacontenttype: "application/json",
    data: { key: keyColumnsOf(table.key).length === 1 ? { [keyColumnsOf(table.key)[0]!]: key } : key, columns },
  };
}
