// Reading of documents, pictures and pages, against what the libraries do by themselves in the same run. One JSON line.
// Usage: node bench/sources.mjs FOLDER WHAT (pdf | evidence | page)
import { availableParallelism } from "node:os";
import { fileURLToPath } from "node:url";
import { fork } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { createHash } from "node:crypto";
import path from "node:path";
import Pdf from "pdfkit";
import { fileReader } from "../dist/adapters/source-files/index.js";
import { quotable } from "../dist/core/sources/index.js";

const [, , folder, what, worker] = process.argv;
const say = (value) => process.stdout.write(`${JSON.stringify(value)}\n`);
const WORDS =
  "the aft mooring line parted at the bitts while the ship was made fast and nobody was hurt though two deckhands stood near".split(" ");
const line = (seed) => Array.from({ length: 14 }, (_, i) => WORDS[(seed * 7 + i * 3) % WORDS.length]).join(" ");

async function makePdf(file, pages, seed) {
  const doc = new Pdf({ size: "A4", margin: 50, compress: true });
  const pieces = [];
  doc.on("data", (piece) => pieces.push(piece));
  const ended = new Promise((resolve) => doc.on("end", resolve));
  for (let page = 0; page < pages; page++) {
    if (page > 0) doc.addPage();
    for (let i = 0; i < 34; i++) doc.text(line(seed + page * 40 + i));
  }
  doc.end();
  await ended;
  writeFileSync(file, Buffer.concat(pieces));
}

/** The library alone: files one after the other in as many processes. */
async function bareWorker(files) {
  const { getDocumentProxy, extractText } = await import("unpdf");
  for (const file of files) {
    const document = await getDocumentProxy(new Uint8Array(readFileSync(file)), { verbosity: 0 });
    await extractText(document);
    await document.destroy();
  }
}

if (what === "pdf") {
  if (worker !== undefined) {
    process.on("message", (files) => bareWorker(files).then(() => process.send("done")));
    process.send("ready");
  } else {
    const files = [];
    for (let i = 0; i < 200; i++) {
      const file = path.join(folder, `d${i}.pdf`);
      await makePdf(file, 20, i);
      files.push(file);
    }
    const processes = Math.min(4, availableParallelism());
    const bare = async () => {
      const children = Array.from({ length: processes }, () => fork(fileURLToPath(import.meta.url), [folder, "pdf", "worker"]));
      await Promise.all(children.map((child) => new Promise((resolve) => child.once("message", resolve))));
      const began = performance.now();
      await Promise.all(
        children.map((child, index) => {
          const done = new Promise((resolve) => child.once("message", resolve));
          child.send(files.filter((_, at) => at % processes === index));
          return done;
        }),
      );
      const ms = performance.now() - began;
      for (const child of children) child.kill();
      return ms;
    };
    const ours = async () => {
      const reader = fileReader({ child: fileURLToPath(new URL("../dist/adapters/source-files/child.js", import.meta.url)), processes });
      const handles = files.map((file) => ({
        file,
        handle: { hash: createHash("sha256").update(readFileSync(file)).digest("hex"), type: "application/pdf", bytes: 1 },
      }));
      const how = { picturesOnly: false, as: "text", longestSide: 1536, ranges: undefined, maxPages: 100 };
      await Promise.all(handles.slice(0, processes).map(({ file, handle }) => reader.read(file, handle, how)));
      const began = performance.now();
      const opened = await Promise.all(handles.map(({ file, handle }) => reader.read(file, handle, how)));
      const ms = performance.now() - began;
      reader.close();
      if (opened.some((one) => "problem" in one || one.pages.length !== 20)) throw new Error("not all were read");
      return ms;
    };
    const first = [await bare(), await ours()];
    const second = [await bare(), await ours()];
    const [bareMs, oursMs] = [Math.min(first[0], second[0]), Math.min(first[1], second[1])];
    say({ bareMs, oursMs, processes, ratio: bareMs / oursMs });
  }
}

if (what === "evidence") {
  const text = Array.from({ length: 700 }, (_, i) => `${line(i)} – “seen at ${i} o’clock”.`)
    .join("\n")
    .slice(0, 50_000);
  const last = text.slice(-400, -340).trim().split(" ").slice(1, -1).join(" ").toUpperCase();
  const folds = [];
  const finds = [];
  for (let i = 0; i < 40; i++) {
    const one = quotable(`${i} ${text}`);
    let began = performance.now();
    one.find("there is no such passage in it");
    folds.push(performance.now() - began);
    began = performance.now();
    one.find(last);
    finds.push(performance.now() - began);
  }
  const slowest = (all) => all.toSorted((a, b) => a - b)[Math.floor(all.length * 0.95)];
  say({ chars: text.length, foldMs: slowest(folds), findMs: slowest(finds) });
}

if (what === "page") {
  const { mainText } = await import("../dist/adapters/source-files/main-text.js");
  const paragraph = (i) => `<p>${line(i)}. <a href="/p${i}">${line(i + 1)}</a></p>`;
  const html = `<!doctype html><html><head><title>Notices</title></head><body><nav>${"<a href='/x'>x</a>".repeat(40)}</nav><article>${Array.from({ length: 900 }, (_, i) => paragraph(i)).join("\n")}</article></body></html>`;
  const bytes = Buffer.from(html.slice(0, 150_000) + "</article></body></html>");
  const times = [];
  for (let i = 0; i < 8; i++) {
    const before = process.cpuUsage();
    mainText(bytes, undefined, "http://a.example/");
    const { user, system } = process.cpuUsage(before);
    times.push((user + system) / 1000);
  }
  say({ bytes: bytes.length, firstCpuMs: times[0], cpuMs: times.slice(1).toSorted((a, b) => a - b)[3] });
}
