import { describe, expect, it } from "vitest";
import { bytesIn } from "../../src/adapters/source-files/bytes-in.js";
import { postgresDatabase } from "../helpers/databases.js";

const bytesOf = (cell: string): Buffer | undefined => {
  const found = bytesIn(cell);
  return found && "bytes" in found ? Buffer.from(found.bytes) : undefined;
};

describe("bytes that stand in a cell", () => {
  it("are those of a data address, as base64 or as it is written (RFC 2397)", () => {
    expect(bytesOf("data:image/png;base64,iVBORw0KGgo=")?.toString("hex")).toBe("89504e470d0a1a0a");
    expect(bytesOf("DATA:text/plain;charset=utf-8;BASE64,w6k=")?.toString()).toBe("é");
    // The examples of the standard itself.
    expect(bytesOf("data:,A%20brief%20note")?.toString()).toBe("A brief note");
    expect(bytesOf("data:text/plain;charset=iso-8859-7,%be%fe%be")?.toString("hex")).toBe("befebe");
    expect(bytesOf("data:,gr%C3%BCn und groß")?.toString()).toBe("grün und groß");
    expect(bytesOf("data:,a,b")?.toString()).toBe("a,b");
    expect(bytesOf("data:,two\nlines")?.toString()).toBe("two\nlines");
  });

  it("are told to be damaged in words", () => {
    expect(bytesIn("data:image/png;base64")).toEqual({ problem: "is a `data:` address without a comma, so it holds nothing" });
    expect(bytesIn("data:,100%")).toEqual({ problem: "is a damaged `data:` address" });
  });

  it("are what a database's own client prints of its columns of bytes", async () => {
    const database = await postgresDatabase();
    try {
      const [row] = await database.run(
        `SELECT '\\x00ff10'::bytea::text AS short, convert_to('Grüße', 'UTF8')::text AS words, ''::bytea::text AS none`,
      );
      expect(bytesOf(row!["short"] as string)).toEqual(Buffer.from([0, 255, 16]));
      expect(bytesOf(row!["words"] as string)?.toString()).toBe("Grüße");
      expect(bytesOf(row!["none"] as string)).toBeUndefined();
    } finally {
      await database.close();
    }
  });

  it("are digits without a mark only where they begin as files do, and are long enough to be no name", () => {
    expect(bytesOf(`ffd8ff${"e0".repeat(20)}`)?.length).toBe(23);
    expect(bytesOf(`FFD8FF${"E0".repeat(20)}`)?.length).toBe(23);
    for (const name of ["ffd8ff", "25504446", `504b0304${"0".repeat(23)}`, `ffd8ff${"g0".repeat(20)}`, "a".repeat(64), "", "photo.png"])
      expect(bytesOf(name)).toBeUndefined();
  });

  it("are none in a path, also one with backslashes", () => {
    for (const name of ["\\\\xserver\\ab", "\\x", "\\x1", "\\xab.png", "C:\\xab", "database: notes"]) expect(bytesIn(name)).toBeUndefined();
  });
});
