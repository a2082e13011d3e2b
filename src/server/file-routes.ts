import type { IncomingMessage } from "node:http";
import { PassThrough, type Readable } from "node:stream";
import * as z from "zod";
import { YoroshiError } from "../core/ground/index.js";
import { downloadLedger, downloadTable, downloadWish, readGiven, uploadTable } from "../jobs/index.js";
import { asDownload, demand, type App, type Parts } from "./parts.js";

const ledgerWish = z.strictObject({ as: z.enum(["jsonl", "csv"]).optional(), names: z.enum(["true", "false"]).optional() });
const ledgerPart = z.enum(["answers", "cells", "decisions", "rules", "messages"]);

/** Tables that come and go as files, and the ledger. */
export function fileRoutes(app: App, { project, mostUploadBytes }: Parts): void {
  app.get("/plans/:plan/table/file", async (c) => {
    demand(c.get("who"), "read");
    return asDownload(c, await downloadTable(project(), c.req.param("plan"), readGiven(downloadWish, c.req.query(), "file")));
  });

  app.get("/ledger/:what", async (c) => {
    demand(c.get("who"), "read");
    const what = readGiven(ledgerPart, c.req.param("what"), "file");
    const { as = "jsonl", names } = readGiven(ledgerWish, c.req.query(), "file");
    return asDownload(c, await downloadLedger(project(), what, as, names === "true"));
  });

  app.put("/tables/:name", async (c) => {
    demand(c.get("who"), "work");
    const { body } = c.req.raw;
    const type = c.req.header("content-type") ?? "application/octet-stream";
    // A form of a page elsewhere could send these without being asked whether it may.
    if (/^(text\/plain|multipart\/form-data|application\/x-www-form-urlencoded)/i.test(type) || !body)
      throw new YoroshiError("typeRefused", { expected: "the file itself (application/octet-stream)" });
    if (Number(c.req.header("content-length") ?? 0) > mostUploadBytes)
      throw new YoroshiError("tooLarge", { what: "The file", bytes: mostUploadBytes });
    const about = { name: c.req.param("name"), replace: c.req.query("replace") === "true", mostBytes: mostUploadBytes };
    return c.json(await uploadTable(project(), about, sparing(c.env.incoming)), 201);
  });
}

/** A request's bytes; who takes no more of them ends this stream alone, so that the request can still be answered. */
function sparing(incoming: IncomingMessage): Readable {
  const bytes = new PassThrough();
  incoming.pipe(bytes);
  incoming.once("close", () => {
    if (!incoming.complete) bytes.destroy(new YoroshiError("bodyBroken", { problem: "it broke off" }));
  });
  bytes.once("close", () => incoming.unpipe(bytes));
  return bytes;
}
