import type { Work } from "../cells/index.js";
import { Run } from "../fill/index.js";
import type { Row } from "../table/index.js";

/** Chunks that wait to be taken, at most; those of the questions at hand come on top. */
const MOST_READY = 4;

/** Rows about which a model is to be asked, so many at a time, in the table's order. Nothing is asked and nothing is changed. */
export async function* plannedRows(work: Work, rowsPerChunk: number): AsyncGenerator<readonly Row[]> {
  const run = new Run(work, "spread", Infinity);
  let rows = new Map<string, Row>();
  const ready: (readonly Row[])[] = [];
  let [isDone, isLeft] = [false, false];
  let wake = (): void => undefined;
  let makeRoom = (): void => undefined;
  const going = run
    .go({
      ask: async (questions) => {
        // The table is read as fast as its chunks are taken, so that it need not fit into memory.
        while (ready.length >= MOST_READY && !isLeft) await new Promise<void>((resolve) => (makeRoom = resolve));
        const known = await work.ledger.answers.find(questions.map(({ fingerprint }) => fingerprint));
        return questions.flatMap((question, index) => {
          const answer = question.fresh ? undefined : known[index]?.answer;
          if (answer) return [{ question, answer, came: "reused" as const }];
          rows.set(question.passed.row.key, question.passed.row);
          run.abandon(question);
          if (rows.size >= rowsPerChunk) {
            ready.push([...rows.values()]);
            rows = new Map();
            wake();
          }
          return [];
        });
      },
      record: async () => undefined,
      goOn: async () => false,
      isOver: () => isLeft,
      orGone: true,
    })
    .finally(() => {
      isDone = true;
      wake();
    });
  // Told where it is awaited below; until then nobody else hears of it.
  going.catch(() => undefined);
  try {
    for (;;) {
      const next = ready.shift();
      if (next) {
        makeRoom();
        yield next;
      } else if (isDone) break;
      else await new Promise<void>((resolve) => (wake = resolve));
    }
    await going;
    if (rows.size > 0) yield [...rows.values()];
  } finally {
    isLeft = true;
    makeRoom();
    await going.catch(() => undefined);
  }
}
