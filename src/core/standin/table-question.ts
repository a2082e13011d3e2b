import type { Json } from "../ground/index.js";
import type { AskedPart, ReadRequest } from "./read-request.js";
import { likeness, terms } from "./words.js";

/** A column as a request tells it: `- name (kind from 1 to 5). what it means. Values: a; b`. */
interface Column {
  readonly name: string;
  readonly kind: string;
  readonly about: string;
  readonly from: number;
  readonly to: number;
  readonly values: readonly string[];
  /** The words of its name. */
  readonly words: readonly string[];
}

interface Found {
  readonly column: string;
  readonly is: string;
  readonly values: string[];
}

const LINE = /^- (\S+(?: \S+)*?) \((\w+)(?: from (-?[\d.]+) to (-?[\d.]+))?\)(?:\. (.*?))?(?:\. Values: (.*))?$/;
const stems = (text: string): string[] => terms(text.replace(/([a-z])([A-Z])/g, "$1 $2").replace(/[_-]+/g, " ")).map(({ stem }) => stem);

function readColumns(text: string): Column[] {
  return text.split("\n").flatMap((line) => {
    const match = LINE.exec(line.trim());
    if (!match) return [];
    const [, name = "", kind = "", from, to, about = "", values = ""] = match;
    return [
      {
        name,
        kind,
        about: about.startsWith("Values: ") ? "" : about,
        from: Number(from ?? Number.NaN),
        to: Number(to ?? Number.NaN),
        values: (values || /^Values: (.*)$/.exec(about)?.[1] || "").split("; ").filter((value) => value !== ""),
        words: stems(name),
      },
    ];
  });
}

/** The part of an answer that lists conditions, each with a column, what it must be, and values. */
const isConditions = ({ kind, item }: AskedPart): boolean =>
  kind === "list" && item?.kind === "record" && (item.members ?? []).filter((member) => member.kind === "choice").length >= 2;

/**
 * Reads a question about a table from a request that wants it as conditions over columns: what is counted, which values and sizes are
 * named, what is left out. `undefined` for any other request.
 */
export function readTableQuestion(request: ReadRequest): Record<string, Json> | undefined {
  const conditions = request.parts.find(isConditions);
  const lists = Object.values(request.named).map(readColumns);
  const columns = lists.reduce((most, list) => (list.length > most.length ? list : most), []);
  const question = Object.values(request.named).find((text) => readColumns(text).length === 0) ?? "";
  if (!conditions || columns.length === 0 || question.trim() === "") return undefined;
  const read = new Question(question, columns);
  const answer = read.answer();
  return Object.fromEntries(request.parts.map(({ name }) => [name, answer[name] ?? null]));
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, String.raw`\$&`);
const MONTHS = ["january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november", "december"];
const COUNTS = /\b(how many|number of|count of|count)\b/i;
const SHARES = /\b(what (share|part|percentage|percent|proportion|fraction)|share of|percentage of|proportion of|what percent)\b/i;
const LISTS = /^(list|show|give|find|name|tell me|display)\b|^(which|what) (?!.*\b(most|least|fewest|often)\b)/i;
const READS =
  /^(why|how (?!many|much|often)|what (do|does|did|is said|are the (reasons|causes|complaints)|happened)|sum ?up|summari[sz]e|describe|explain)\b/i;
const FIGURES: readonly (readonly [RegExp, string])[] = [
  [/\b(average|mean)\b/i, "mean"],
  [/\bmedian\b/i, "median"],
  [/\b(total|sum|altogether)\b/i, "sum"],
  [/\b(how many different|distinct|different)\b/i, "distinct"],
  [/\b(highest|greatest|largest|biggest|maximum|worst|latest|newest|longest)\b/i, "max"],
  [/\b(lowest|smallest|minimum|least|earliest|oldest|shortest)\b/i, "min"],
];
/** Words of a question that are none of a table's. */
const OWN_WORDS = new Set(
  "how many much what which who share percent percentage proportion number count total sum average mean median highest lowest greatest least most fewest often different distinct row rows record records report reports entry entries case cases table list show give find name tell me display there for each per by with without and or not except but than more less over under at above below between since before after until in of the a an all any every are is was were have has had do does did that those these logged value values one ones it its their our about come comes came who whose where when said says been being made done also only just please row of which them they there here neither nor excluding other than mention mentions contain contains message messages comment comments".split(
    " ",
  ),
);

/** A column's name as people write it: its words apart, that of related rows left out. */
function namePattern(name: string): string {
  const [own = "", ...of] = name.split(".").reverse();
  const words = escaped(own).replace(/([a-z])([A-Z])/g, "$1[ _-]?$2");
  return of.length === 0 ? words : `(?:${of.reverse().map(escaped).join(" ")} )?${words}`;
}

class Question {
  readonly #found: Found[] = [];
  #rest: string;
  /** Where the newest mark ends that stands for words that were taken. */
  #mark: number | undefined;
  /** Values that stand in two columns. */
  readonly #unclear: string[] = [];

  constructor(
    readonly text: string,
    readonly columns: readonly Column[],
  ) {
    const isValue = (words: string): boolean =>
      columns.some(({ values }) => values.some((value) => value.toLowerCase() === words.trim().toLowerCase()));
    const plain = text.replace(/["“”]([^"“”]+)["“”]/g, (all, words: string) => (isValue(words) ? words : all));
    this.#rest = ` ${plain.replace(/[’']s\b/g, "").replace(/[?!.,;:]+(\s|$)/g, " ")} `;
  }

  answer(): Record<string, Json> {
    const order = /\b(most|highest|greatest|largest|top)\b/i.test(this.text)
      ? "most"
      : /\b(fewest|least|lowest)\b/i.test(this.text)
        ? "least"
        : null;
    const by = this.#by();
    this.#blanks();
    this.#values();
    this.#sizes();
    this.#days();
    this.#yesNos();
    this.#scales();
    this.#quoted();
    this.#words();
    const figure = this.#figure(by);
    const unknown = this.#unknown();
    const what = this.#what(figure, by);
    const limit = /\b(?:top|first) (\d+)\b/i.exec(this.text)?.[1];
    const isUnclear = this.#unclear.length + unknown.length > 0;
    const isNothing = this.#found.length === 0 && what === "list" && by === undefined;
    return {
      understood:
        unknown.length > 0 && this.#unclear.length === 0
          ? `No column has ${unknown.map((word) => `“${word}”`).join(", ")}.`
          : this.#unclear.length > 0
            ? "The question could mean more than one column."
            : isNothing
              ? "The question names no column and no value of the table."
              : this.text.trim(),
      what: isUnclear || isNothing ? "unclear" : what,
      figure: figure.name,
      of: figure.of ?? null,
      by: what === "each" ? (by ?? null) : null,
      conditions: this.#found.map(({ column, is, values }) => ({ column, is, values })),
      any: this.#found.length > 1 && this.#isAny(),
      order: what === "each" ? order : null,
      limit:
        limit === undefined
          ? what === "each" && order && /\b(which|what|who)\b/i.test(this.text) && !/\bfor each\b|\bper\b/i.test(this.text)
            ? 1
            : null
          : Number(limit),
      unclear: this.#unclear,
    };
  }

  /** Whether “or” stands between conditions on different columns; between values of one it joins these. */
  #isAny(): boolean {
    const marks = [...this.#rest.matchAll(/▪([\u{E000}-\u{F8FF}]?)([^▪]*)/gu)];
    return marks.some(([, own, between], index) => {
      const next = marks[index + 1]?.[1];
      return next !== undefined && next !== own && /\bor\b/i.test(between!);
    });
  }

  #take(pattern: RegExp): RegExpExecArray | undefined {
    const match = pattern.exec(this.#rest);
    if (!match) return undefined;
    this.#mark = match.index + 2;
    this.#rest = `${this.#rest.slice(0, match.index)} ▪ ${this.#rest.slice(match.index + match[0].length)}`;
    return match;
  }

  #add(column: string, is: string, values: string[]): void {
    const same = this.#found.find((one) => one.column === column && one.is === is && (is === "one of" || is === "none of"));
    if (same) same.values.push(...values.filter((value) => !same.values.includes(value)));
    else this.#found.push({ column, is, values });
    // The mark that stands for its words says which condition they belong to.
    const index = this.#found.findIndex((one) => one.column === column && one.is === is);
    if (this.#mark !== undefined && this.#rest[this.#mark - 1] === "▪")
      this.#rest = `${this.#rest.slice(0, this.#mark)}${String.fromCodePoint(0xe000 + index)}${this.#rest.slice(this.#mark)}`;
    this.#mark = undefined;
  }

  /** The column that some words name. */
  #named(words: string): Column | undefined {
    const wanted = stems(words);
    const weighed = this.columns.map((column) => ({
      column,
      like:
        wanted.reduce((sum, stem) => sum + Math.max(0, ...column.words.map((own) => (own === stem ? 1 : 0.7 * likeness(stem, own)))), 0) /
        Math.max(1, column.words.length),
    }));
    const best = weighed.reduce<(typeof weighed)[number] | undefined>((top, one) => (!top || one.like > top.like ? one : top), undefined);
    return best && best.like >= 0.45 ? best.column : undefined;
  }

  /** `per vessel`, `for each hazard`, `by month`, `which vessel has the most …`. */
  #by(): string | undefined {
    const each = / (?:for each|for every|per|by each|grouped by|broken down by|by) ([\w-]+)(?= )/i;
    const named = each.exec(this.#rest);
    const match =
      (named && this.#named(named[1]!) ? this.#take(each) : undefined) ??
      (/\b(most|least|fewest|often|highest|lowest)\b/i.test(this.text) ? this.#take(/ (?:which|what|who) ([\w-]+)(?= )/i) : undefined);
    return match ? this.#named(match[1]!)?.name : undefined;
  }

  #blanks(): void {
    for (const column of this.columns) {
      const name = column.name.replace(/([a-z])([A-Z])/g, "$1[ _-]?$2").replace(/[_-]/g, "[ _-]?");
      if (
        this.#take(
          new RegExp(String.raw` (?:without|with no|have no|has no|lack(?:ing)?|missing|blank|no)(?: an?| the| any)? ${name}(?= )`, "i"),
        )
      )
        this.#add(column.name, "blank", []);
      else if (this.#take(new RegExp(String.raw` ${name} (?:is|are) (?:blank|empty|missing)(?= )`, "i")))
        this.#add(column.name, "blank", []);
    }
  }

  /** Values of columns, as they stand there or nearly so; after `not` and the like they are left out. */
  #values(): void {
    const all = this.columns
      .filter(({ kind }) => kind === "options")
      .flatMap((column) => column.values.map((value) => ({ column, value, words: value.replace(/[_-]+/g, " ") })))
      .sort((a, b) => b.words.length - a.words.length);
    this.#spreadNot([...new Set(all.flatMap(({ value, words }) => [value, words]))]);
    const done = new Set<string>();
    for (const { column, value, words } of all) {
      const pattern = new RegExp(
        String.raw` (?<not>not |no |except(?: for)? |other than |without |but not |excluding )?(?:an? |the )?(?:${escaped(value)}|${escaped(words)})(?:s|es)?(?= )`,
        "i",
      );
      if (done.has(value.toLowerCase())) continue;
      const match = this.#take(pattern);
      if (!match) continue;
      const others = all.filter((other) => other.column !== column && other.value.toLowerCase() === value.toLowerCase());
      const isNamed = new RegExp(String.raw`\b${escaped(column.name)}\b`, "i").test(this.text);
      const named = others.find((other) => new RegExp(String.raw`\b${escaped(other.column.name)}\b`, "i").test(this.text));
      if (others.length > 0 && !isNamed && !named)
        this.#unclear.push(...[column, ...others.map((other) => other.column)].map((one) => `\`${one.name}\` is “${value}”`));
      done.add(value.toLowerCase());
      this.#add((named && !isNamed ? named.column : column).name, match.groups?.["not"] ? "none of" : "one of", [value]);
    }
    // Part of a name: “Tern” of “MV Tern”.
    for (const { column, value } of all) {
      if (done.has(value.toLowerCase())) continue;
      const last = value.split(/\s+/).at(-1)!;
      if (last === value || last.length < 3 || !/^\p{Lu}/u.test(last)) continue;
      const match = this.#take(new RegExp(String.raw` (?<not>not |except(?: for)? |other than )?${escaped(last)}(?= )`));
      if (match) this.#add(column.name, match.groups?.["not"] ? "none of" : "one of", [value]);
    }
  }

  /** “Not mooring or fire” leaves out both. */
  #spreadNot(values: readonly string[]): void {
    if (values.length === 0) return;
    const one = `(?:${values.map(escaped).join("|")})`;
    const several = new RegExp(
      String.raw` (not|no|except(?: for)?|other than|neither|excluding) (${one})((?:,? (?:or|nor|and) ${one})+)(?= )`,
      "gi",
    );
    this.#rest = this.#rest.replace(several, (_all, _not: string, first: string, others: string) => {
      const rest = others.split(/,? (?:or|nor|and) /i).filter((value) => value !== "");
      return ` ${[first, ...rest].map((value) => `not ${value}`).join(" ▫ ")}`;
    });
  }

  /** `severity at least 4`, `gravity of 3 or more`, `over 2 hours`, `between 2 and 4`. */
  #sizes(): void {
    const sized = this.columns.filter(({ kind }) => kind === "scale" || kind === "number");
    const WORD = String.raw`(?<word>at least|no less than|at most|no more than|up to|more than|greater than|higher than|over|above|less than|lower than|fewer than|under|below|exactly|equal to|of|is|=|>=|<=|>|<)?`;
    const SIGNS: Readonly<Record<string, string>> = {
      "at least": "at least",
      "no less than": "at least",
      ">=": "at least",
      "at most": "at most",
      "no more than": "at most",
      "up to": "at most",
      "<=": "at most",
      "more than": "above",
      "greater than": "above",
      "higher than": "above",
      over: "above",
      above: "above",
      ">": "above",
      "less than": "below",
      "lower than": "below",
      "fewer than": "below",
      under: "below",
      below: "below",
      "<": "below",
    };
    for (const column of sized) {
      const name = namePattern(column.name);
      const between = this.#take(
        new RegExp(
          String.raw` (?:a |the )?${name} (?:is |of |from )?(?:between )?(?<low>-?\d+(?:\.\d+)?) (?:and|to) (?<high>-?\d+(?:\.\d+)?)(?= )`,
          "i",
        ),
      );
      if (between) {
        this.#add(column.name, "at least", [between.groups!["low"]!]);
        this.#add(column.name, "at most", [between.groups!["high"]!]);
        continue;
      }
      const match = this.#take(
        new RegExp(
          String.raw` (?:an? |the )?${name} (?:is |are |of |was )?${WORD} ?(?<value>-?\d+(?:\.\d+)?)(?<after> (?:or|and) (?:more|above|higher|over|worse|less|below|lower|under))?(?= )`,
          "i",
        ),
      );
      if (!match) continue;
      const { word = "", value, after = "" } = match.groups!;
      const is = /more|above|higher|over|worse/i.test(after)
        ? "at least"
        : /less|below|lower|under/i.test(after)
          ? "at most"
          : (SIGNS[word.toLowerCase()] ?? "one of");
      this.#add(column.name, is, [value!]);
    }
  }

  /** Days and months, of the one column of days, or the one that is named. */
  #days(): void {
    const days = this.columns.filter(({ kind }) => kind === "day");
    const column = days.length === 1 ? days[0] : days.find(({ name }) => new RegExp(String.raw`\b${escaped(name)}\b`, "i").test(this.text));
    if (!column) return;
    const since = this.#take(/ (since|from|after|on or after|before|until|by|up to|on) (\d{4}-\d{2}-\d{2})(?= )/i);
    if (since) {
      const is = {
        since: "at least",
        from: "at least",
        after: "above",
        "on or after": "at least",
        before: "below",
        until: "at most",
        by: "at most",
        "up to": "at most",
      }[since[1]!.toLowerCase()];
      this.#add(column.name, is ?? "one of", [since[2]!]);
    }
    const month = this.#take(new RegExp(String.raw` (?:in|during|of) (${MONTHS.join("|")})(?: (\d{4}))?(?= )`, "i"));
    if (!month) return;
    const number = String(MONTHS.indexOf(month[1]!.toLowerCase()) + 1).padStart(2, "0");
    const years = new Set(column.values.map((value) => value.slice(0, 4)).filter((year) => /^\d{4}$/.test(year)));
    const year = month[2] ?? [...years].sort().at(-1) ?? "2026";
    const last = new Date(Date.UTC(Number(year), Number(number), 0)).getUTCDate();
    this.#add(column.name, "at least", [`${year}-${number}-01`]);
    this.#add(column.name, "at most", [`${year}-${number}-${String(last).padStart(2, "0")}`]);
  }

  #yesNos(): void {
    for (const column of this.columns.filter(({ kind }) => kind === "yesNo")) {
      const words = this.#rest.toLowerCase().split(/\s+/);
      const hits = words.filter((word) =>
        stems(word).some((stem) => column.words.some((own) => own === stem || likeness(stem, own) > 0.7)),
      );
      if (hits.length < Math.min(2, column.words.length)) continue;
      const first = hits[0]!;
      const match = this.#take(
        new RegExp(
          String.raw` (?<not>not |no |without |don't |do not |doesn't |does not |needn't )?(?:\w+ )?${escaped(first)}(?: (?:${hits.slice(1).map(escaped).join("|") || "▪"}))*(?= )`,
          "i",
        ),
      );
      if (match) this.#add(column.name, "one of", [match.groups?.["not"] ? "no" : "yes"]);
    }
  }

  /** “Grave” of a gravity, “severe” of a severity: the upper end of the scale, “slight” and “harmless” the lower. */
  #scales(): void {
    for (const column of this.columns.filter(({ kind, to }) => kind === "scale" && Number.isFinite(to))) {
      if (this.#found.some((one) => one.column === column.name)) continue;
      const words = this.#rest
        .trim()
        .split(/\s+/)
        .filter((word) => /^[a-z]+$/.test(word) && !OWN_WORDS.has(word));
      const { from, to } = column;
      const high = words.find((word) =>
        column.words.some((own) => own.slice(0, 4) === (stems(word)[0] ?? word).slice(0, 4) && own !== (stems(word)[0] ?? word)),
      );
      const low = words.find((word) => /^(slight|harmless|minor|trivial|low)$/.test(word));
      if (high !== undefined && this.#take(new RegExp(String.raw` (?:very |most )?${high}(?= )`, "i"))) {
        const isNot = / (?:not|no) ▪/.test(this.#rest);
        this.#add(column.name, isNot ? "below" : "at least", [String(Math.ceil(from + 0.75 * (to - from)))]);
      } else if (low !== undefined && this.#take(new RegExp(String.raw` ${low}(?= )`, "i")))
        this.#add(column.name, "at most", [String(Math.floor(from + 0.25 * (to - from)))]);
    }
  }

  /** Words in quotation marks, or after `mention`: somewhere in a text. */
  #quoted(): void {
    const texts = this.columns.filter(({ kind }) => kind === "words");
    const match = this.#take(
      / (?:mention(?:s|ing)?|contain(?:s|ing)?|say(?:s|ing)?|with the words?|about) (?:the words? )?["“]?([\p{L}\p{N} -]+?)["”]?(?= (?:▪|and|or|$)| $)/iu,
    );
    if (!match) return;
    const [, words = ""] = match;
    const column = this.#named(this.text) ?? texts[0];
    const own = column?.kind === "words" ? column : texts[0];
    if (own && words.trim() !== "") this.#add(own.name, "contains", [words.trim()]);
  }

  /** What else is said of the rows: somewhere in their text. */
  #words(): void {
    const [column] = this.columns.filter(({ kind }) => kind === "words");
    if (!column || !(COUNTS.test(this.text) || SHARES.test(this.text) || LISTS.test(this.text.trim()))) return;
    const [, first = "", second = ""] =
      /(?:how many|number of|count of|count|list|show|which|what|find)(?: the| all)? (\S+)(?: (\S+))?/i.exec(this.text) ?? [];
    // “How many tickets are …” names what rows are; “how many leaking reports …” says something of them.
    const subject = /^(rows?|records?|reports?|entries|cases?|entry)$/i.test(second) ? undefined : first.toLowerCase();
    const words = this.#rest
      .trim()
      .split(/\s+/)
      .filter(
        (word) => /^[a-z]{4,}$/.test(word) && word !== subject && !OWN_WORDS.has(word) && !FIGURES.some(([pattern]) => pattern.test(word)),
      )
      .filter((word) => !this.#named(word));
    for (const word of words.slice(0, 3))
      if (this.#take(new RegExp(` ${word}(?= )`))) this.#add(column.name, "contains", [stems(word)[0] ?? word]);
  }

  #figure(by: string | undefined): { readonly name: string; readonly of?: string | undefined } {
    if (SHARES.test(this.text)) return { name: "share" };
    if (COUNTS.test(this.text) && !/how many different/i.test(this.text)) return { name: "count" };
    for (const [pattern, name] of FIGURES) {
      const match = pattern.exec(this.text);
      if (!match) continue;
      const after = this.text.slice(match.index + match[0].length);
      const column = this.#named(after.split(/\s+/).slice(0, 4).join(" ")) ?? this.#named(this.text);
      if (column && column.name !== by && (name === "distinct" || ["number", "scale", "day"].includes(column.kind)))
        return { name, of: column.name };
    }
    return { name: "count" };
  }

  #what(figure: { readonly name: string; readonly of?: string | undefined }, by: string | undefined): string {
    if (by !== undefined) return "each";
    if (READS.test(this.text.trim()) && !COUNTS.test(this.text)) return "read";
    if (figure.name !== "count" || COUNTS.test(this.text) || SHARES.test(this.text)) return "figure";
    return LISTS.test(this.text.trim()) || this.#found.length > 0 ? "list" : "read";
  }

  /** Names in the question that stand nowhere in the table. */
  #unknown(): string[] {
    const rest = this.#rest.replace(/^\s+\S+/, " ");
    const months = [
      ...this.#rest.matchAll(new RegExp(String.raw` (?:in|during|of|since|before) (${MONTHS.join("|")}|\d{4}-\d{2}-\d{2})(?= )`, "gi")),
    ];
    const names = [...rest.matchAll(/ (\p{Lu}[\p{L}\p{N}]*(?: \p{Lu}[\p{L}\p{N}]*)*)(?= )/gu)].map(([, name]) => name!);
    const open = names.filter((name) => !OWN_WORDS.has(name.toLowerCase()) && !MONTHS.includes(name.toLowerCase()) && !this.#named(name));
    return [...open, ...months.map(([, month]) => month!)];
  }
}
