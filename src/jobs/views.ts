import { setImmediate as nextTurn } from "node:timers/promises";
import { beginView, canonicalJson, plainJson, sha256Hex, type FillSetup, type OpeningView, type TableView } from "../core/index.js";
import type { Project } from "../project/index.js";

/** A database's rows tell no change; they are read again when what was read is older. */
const OLD_MS = 30_000;
/** What other processes record is looked for a little earlier than it was last looked for. */
const MARGIN_MS = 2_000;
/** So many tables are held at once, the one that was not looked at for longest goes. */
const MOST_VIEWS = 4;

interface Held {
  readonly mark: string;
  readonly steps: readonly string[];
  readonly opening: Promise<OpeningView>;
  /** The view, once it is whole. */
  readonly opened: Promise<TableView>;
  /** It is whole, and what somebody changed in the result is in it. */
  isSettled: boolean;
  readonly readAt: number;
  /** What other processes had recorded. */
  ledgerMark: string;
  standingMark: string | undefined;
  lookedAt: number;
  /** Keys whose cells were recorded in this process since. */
  readonly changed: Set<string>;
  /** Brought up to date by one caller at a time. */
  renewing: Promise<void>;
}

/** So often others have their turn between two pieces of a table that is read: a page that is opened meanwhile takes some tens of turns. */
const TURNS = 12;

/** The same table, read so that whoever waits for the server meanwhile is answered. */
function givingWay(table: FillSetup["table"]): FillSetup["table"] {
  return Object.create(table, {
    read: {
      value: async function* read(...about: Parameters<typeof table.read>) {
        for await (const chunk of table.read(...about)) {
          yield chunk;
          for (let turn = 0; turn < TURNS; turn++) await nextTurn();
        }
      },
    },
  }) as FillSetup["table"];
}

interface ViewWish {
  readonly fresh?: boolean | undefined;
  readonly isEarly?: boolean | undefined;
}

interface Viewed {
  readonly view: TableView;
  readonly setup: FillSetup;
  readonly readAt: number;
  /** How much of the table is read, where it is not whole yet. */
  readonly share?: number | undefined;
}

/** The tables of a project that somebody looks at, each read once as long as it stands. */
class Views {
  readonly #held = new Map<string, Held>();

  constructor(readonly project: Project) {
    project.onRecorded((cells) => {
      for (const { plan, key } of cells) this.#held.get(plan)?.changed.add(key);
    });
  }

  /**
   * A plan's table as it stands now, and when it was read.
   *
   * @param isEarly give it as far as it is read, with how far that is.
   */
  async of(plan: string, { fresh = false, isEarly = false }: ViewWish = {}): Promise<Viewed> {
    const { setup } = await this.project.fillSetup(plan, { asks: false });
    const held = await this.#current(setup, fresh);
    if (isEarly && !held.isSettled) {
      const { view, share } = await held.opening;
      return { view, setup, readAt: held.readAt, share };
    }
    const view = await held.opened.catch((error: unknown) => {
      this.#held.delete(setup.plan.name);
      throw error;
    });
    await (held.renewing = held.renewing.then(() => this.#renew(held, view, setup)));
    return { view, setup, readAt: held.readAt };
  }

  async #current(setup: FillSetup, fresh: boolean): Promise<Held> {
    const { name } = setup.plan;
    const now = this.project.clock.now();
    const source = await setup.table.sourceMark();
    const mark = markOf(setup, source);
    const known = this.#held.get(name);
    this.#held.delete(name);
    const opening = (): Pick<Held, "opening" | "opened"> => {
      const begun = beginView({ ...setup, table: givingWay(setup.table) });
      const opened = begun.then(({ whole }) => whole);
      // Told to whoever waits for it.
      opened.catch(() => undefined);
      return { opening: begun, opened };
    };
    const stands = known && !fresh && known.mark === mark && (source !== undefined || now - known.readAt < OLD_MS);
    const held: Held = stands
      ? known
      : {
          mark,
          steps: Object.keys(setup.plan.steps),
          ...opening(),
          isSettled: false,
          readAt: now,
          lookedAt: now,
          ledgerMark: await setup.ledger.mark(),
          // What somebody changed in the result is looked for once the view is whole.
          standingMark: undefined,
          changed: new Set(),
          renewing: Promise.resolve(),
        };
    this.#held.set(name, held);
    if (!stands) void this.#settle(held, setup).catch(() => this.#held.get(name) === held && this.#held.delete(name));
    while (this.#held.size > MOST_VIEWS) this.#held.delete(this.#held.keys().next().value!);
    return held;
  }

  async #settle(held: Held, setup: FillSetup): Promise<void> {
    const view = await held.opened;
    await (held.renewing = held.renewing.then(() => this.#renew(held, view, setup)));
    held.isSettled = true;
  }

  async #renew(held: Held, view: TableView, setup: FillSetup): Promise<void> {
    const standing = await setup.table.standingMark();
    if (standing !== held.standingMark) {
      // Somebody wrote the result: what a person changed in it is found, and recorded.
      await view.absorb();
      held.standingMark = standing;
    }
    const ledgerMark = await setup.ledger.mark();
    if (ledgerMark !== held.ledgerMark) {
      const since = held.lookedAt - MARGIN_MS;
      held.lookedAt = this.project.clock.now();
      held.ledgerMark = ledgerMark;
      for (const step of held.steps)
        for (const key of await setup.ledger.cells.changedSince(setup.plan.name, step, since)) held.changed.add(key);
    }
    if (held.changed.size === 0) return;
    const keys = [...held.changed];
    held.changed.clear();
    await view.renew(keys);
  }
}

/** What a view rests on besides the ledger: the table's content, the plan, and what its templates would ask. */
function markOf({ plan, asking }: FillSetup, source: string | undefined): string {
  const steps = Object.entries(asking).map(([name, { prepared, version, model }]) => [
    name,
    prepared.fingerprint,
    version ?? 0,
    model.id,
    model.host,
  ]);
  return sha256Hex(canonicalJson([source ?? null, plainJson(plan), plainJson(steps)]));
}

const all = new WeakMap<Project, Views>();

/** A plan's table as somebody looks at it. */
export function viewOf(project: Project, plan: string, wish?: ViewWish): ReturnType<Views["of"]> {
  let views = all.get(project);
  if (!views) all.set(project, (views = new Views(project)));
  return views.of(plan, wish);
}
