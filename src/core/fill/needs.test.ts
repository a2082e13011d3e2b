import { describe, expect, it } from "vitest";
import { errandName } from "../sources/index.js";
import type { NamedSource, Prepared } from "../template/index.js";
import { NeedsCounted } from "./needs.js";

const errand = (search: string[], read: string[], readPages?: number): NamedSource => ({
  name: errandName({ search, read, about: "what it does" }),
  spec: { kind: "legwork", ...(readPages === undefined ? {} : { readPages }) } as never, // a spec that only legwork has
});
const page = (name: string): NamedSource => ({ name, spec: { kind: "page" } });

describe("what a run needs besides asking", () => {
  it("counts a page that several rows name once", () => {
    const needs = new NeedsCounted();
    needs.wants([page("http://a.example/"), page("http://b.example/")]);
    needs.wants([page("http://a.example/")]);
    expect(needs.all).toEqual({ files: 0, pages: 2, searches: 0 });
  });

  it("counts searches by their words, the pages that are named, and as many more as may be read", () => {
    const needs = new NeedsCounted();
    needs.wants([errand(["rope", "knot"], ["http://a.example/"], 3), errand(["rope"], [], 2)]);
    expect(needs.all).toEqual({ files: 0, pages: 1 + 2 + 2, searches: 2 });
  });

  it("takes four pages where legwork names no number, and never fewer than it names", () => {
    const usual = new NeedsCounted();
    usual.wants([errand(["rope"], [])]);
    expect(usual.all.pages).toBe(4);
    const many = new NeedsCounted();
    many.wants([errand([], ["http://a.example/", "http://b.example/"], 1)]);
    expect(many.all.pages).toBe(2);
  });

  it("counts files by what is in them, of lists, too; blank inputs and text are none", () => {
    const shapes = [
      { name: "photo", kind: { source: "image" } },
      { name: "papers", kind: { source: "document" } },
      { name: "note", kind: {} },
    ];
    const prepared = { inputs: shapes } as unknown as Prepared; // only the shapes of the inputs are read
    const needs = new NeedsCounted();
    needs.inputs(prepared, { photo: { hash: "a" }, papers: [{ hash: "b" }, { hash: "a" }], note: "c" });
    needs.inputs(prepared, { photo: "", papers: [], note: "d" });
    expect(needs.all).toEqual({ files: 2, pages: 0, searches: 0 });
  });
});
