import { Big } from "big.js";
import fc from "fast-check";
import { describe, expect, it, vi } from "vitest";
import { canonicalJson } from "./canonical.js";
import { timesRounded } from "./decimal.js";
import { sha256Hex } from "./digest.js";
import { readDocument } from "./read-document.js";
import { ERRORS, isYoroshiError, YoroshiError, type ErrorCode } from "./errors.js";
import { formatMoney, toMicros } from "./money.js";
import { nearest } from "./nearest.js";
import { relaySignal } from "./relay.js";
import { countChars, joinWords, plural, sentences, utf8Length, wellFormed } from "./words.js";

describe("canonical JSON and its hash", () => {
  it("agree with RFC 8785 and FIPS 180-4", () => {
    // RFC 8785, section 3.2.2 and 3.2.3.
    expect(
      canonicalJson({
        numbers: [Number("333333333.33333329"), 1e30, 4.5, 2e-3, 0.000000000000000000000000001],
        string: "\u20ac$\u000f\u000aA'\u0042\u0022\u005c\\\"/",
        literals: [null, true, false],
      }),
    ).toBe('{"literals":[null,true,false],"numbers":[333333333.3333333,1e+30,4.5,0.002,1e-27],"string":"€$\\u000f\\nA\'B\\"\\\\\\\\\\"/"}');
    expect(canonicalJson({ "\u20ac": 1, "\r": 2, "\ud83d\ude00": 3, "1": 4, b: undefined })).toBe('{"\\r":2,"1":4,"€":1,"😀":3}');
    expect(sha256Hex("abc")).toBe("ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
    expect(sha256Hex("")).toBe("e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855");
  });

  it("do not depend on the order of keys", () => {
    fc.assert(
      fc.property(fc.dictionary(fc.string(), fc.jsonValue()), (value) => {
        const turned = Object.fromEntries(Object.entries(value).toReversed());
        expect(canonicalJson(turned)).toBe(canonicalJson(value));
      }),
    );
  });
});

describe("words", () => {
  it("count bytes, characters and sentences as others do", () => {
    fc.assert(
      fc.property(fc.string({ unit: "binary" }), (text) => {
        expect(utf8Length(text)).toBe(Buffer.byteLength(text, "utf8"));
        expect(countChars(text)).toBe([...text].length);
        expect(Buffer.from(wellFormed(text)).toString()).toBe(wellFormed(text));
      }),
    );
    expect(sentences("It broke. Dr. No was there!  Really?\nYes")).toEqual(["It broke.", "Dr.", "No was there!", "Really?", "Yes"]);
    expect([joinWords(["a"]), joinWords(["a", "b"]), joinWords(["a", "b", "c"], "or"), plural(1, "row"), plural(1234567, "row")]).toEqual([
      "a",
      "a and b",
      "a, b or c",
      "1 row",
      "1,234,567 rows",
    ]);
    expect([toMicros(1.5), formatMoney(1_234_567, "USD"), formatMoney(12_345_678, "EUR"), formatMoney(141, "USD")]).toEqual([
      1_500_000,
      "1.2346 USD",
      "12.35 EUR",
      "0.000141 USD",
    ]);
  });

  it("suggest only what is near", () => {
    const known = ["task", "title", "tags", "inputs"];
    expect([nearest("tasks", known), nearest("Input", known), nearest("banana", known), nearest("x", [])]).toEqual([
      "task",
      "inputs",
      undefined,
      undefined,
    ]);
  });
});

describe("a document", () => {
  const text = 'a:\n  b: [1, { c: two }]\n"quoted key": |\n  first\n    second {{ x }}\nplain: word {{ y }}\n';
  const { document } = readDocument(text, "d.yaml");

  it("knows where values, keys and words inside texts stand", () => {
    const at = (place: { line: number; column: number }) => [place.line, place.column];
    expect(at(document!.at(["a", "b", 1, "c"]))).toEqual([2, 15]);
    expect(at(document!.atKey(["a", "b", 1, "c"]))).toEqual([2, 12]);
    expect(at(document!.at(["a", "nothing"]))).toEqual([2, 3]);
    expect(at(document!.within(["quoted key"], 2, 10))).toEqual([5, 12]);
    expect(at(document!.within(["plain"], 1, 6))).toEqual([6, 13]);
  });

  it("refuses a file that unfolds without end", () => {
    const bomb = `a: &a [x,x,x,x,x,x,x,x,x]\n${"bcdefgh"
      .split("")
      .map((name, i) => `${name}: &${name} [${Array.from({ length: 9 }, () => `*${"abcdefg"[i]}`).join(",")}]`)
      .join("\n")}\n`;
    expect(readDocument(bomb, "bomb.yaml").complaints[0]?.code).toBe("syntax");
  });
});

it("every error says what to do, keeps its cause out of JSON, and has a code, an exit code and a status", () => {
  const cause = new Error("secret");
  const error = new YoroshiError("notFound", { what: "plan", name: "lag", near: "log", known: ["log"] }, { cause });
  expect(error.message).toBe("There is no plan `lag`. Did you mean `log`?");
  expect(error.cause).toBe(cause);
  expect(JSON.stringify({ ...error })).not.toContain("secret");
  for (const code of Object.keys(ERRORS) as ErrorCode[]) expect([1, 2, 3, 130]).toContain(ERRORS[code].exit);
});

it("a relay puts one listener on a signal, however many listen to it", () => {
  const controller = new AbortController();
  let added = 0;
  const watched = Object.assign(controller.signal, {
    addEventListener: (
      (original) =>
      (...args: Parameters<typeof original>) => {
        added++;
        original.apply(controller.signal, args);
      }
    )(controller.signal.addEventListener),
  });
  const relay = relaySignal(watched);
  let heard = 0;
  for (let i = 0; i < 50; i++) relay.signal!.addEventListener("abort", () => heard++);
  const removed = (): void => void heard++;
  relay.signal!.addEventListener("abort", removed);
  relay.signal!.removeEventListener("abort", removed);
  controller.abort("why");
  expect([added, heard, relay.signal!.aborted, relay.signal!.reason]).toEqual([1, 50, true, "why"]);
  expect(relaySignal(undefined).signal).toBeUndefined();
});

it("a product in decimals is exact before it is rounded, as a library of decimals has it", () => {
  expect([
    timesRounded(1.005, 100, 0),
    timesRounded(1.005, 1, 2),
    timesRounded(-1.005, 1, 2),
    timesRounded(1e-7, 3, 8),
    timesRounded(2e21, 3, 2),
    timesRounded(0.1, 0.2, 17),
  ]).toEqual([101, 1.01, -1.01, 3e-7, 6e21, 0.02]);
  const amounts = fc.double({ min: -1e9, max: 1e9, noNaN: true });
  fc.assert(
    fc.property(amounts, fc.double({ min: 1e-6, max: 1e4, noNaN: true }), fc.nat(6), (amount, rate, decimals) => {
      expect(timesRounded(amount, rate, decimals)).toBe(Number(new Big(amount).times(rate).round(decimals, Big.roundHalfUp).toString()));
    }),
  );
});

it("an error of another copy of the package is known, and one that only looks like it is not", async () => {
  vi.resetModules();
  const other = await import("./errors.js");
  const error = new other.YoroshiError("planBusy", { plan: "log" });
  expect([error instanceof YoroshiError, isYoroshiError(error), isYoroshiError(new YoroshiError("planBusy", { plan: "log" }))]).toEqual([
    false,
    true,
    true,
  ]);
  const alike = Object.assign(new Error("no"), { name: "YoroshiError", code: "planBusy" });
  expect([alike, { code: "planBusy" }, undefined, "planBusy"].map(isYoroshiError)).toEqual([false, false, false, false]);
});
