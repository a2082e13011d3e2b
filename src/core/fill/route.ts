/** What a route needs to know of a step. */
export interface Stage {
  readonly name: string;
  /** The steps that come before it for a row. */
  readonly needs: readonly string[];
}

/**
 * Where rows stand on their way through a plan's steps: what is still to be done for each, and which are ready for which
 * step. It does nothing itself, so it can be followed by what asks as well as by what only estimates.
 */
export class Route<Row extends object, Step extends Stage> {
  readonly #todo = new Map<Row, Set<Step>>();
  readonly #ready = new Map<Step, Row[]>();
  /** Step -> those that need it, directly. */
  readonly #after = new Map<Step, readonly Step[]>();
  /** Step -> those that it needs, directly. */
  readonly #before = new Map<Step, readonly Step[]>();
  readonly #first: readonly Step[];

  /** @param steps each after those that it needs. */
  constructor(readonly steps: readonly Step[]) {
    for (const step of steps) {
      this.#after.set(
        step,
        steps.filter(({ needs }) => needs.includes(step.name)),
      );
      this.#before.set(
        step,
        steps.filter(({ name }) => step.needs.includes(name)),
      );
    }
    this.#first = steps.filter(({ needs }) => needs.length === 0);
  }

  /** How many steps rows are ready for at once when they come in. */
  get entrances(): number {
    return this.#first.length;
  }

  get hasReady(): boolean {
    return this.#ready.size > 0;
  }

  /** Whether others wait for what a step gives. */
  isNeeded(step: Step): boolean {
    return this.#after.get(step)!.length > 0;
  }

  /** Rows set out: they are ready for the steps that need no other. */
  enter(rows: readonly Row[]): void {
    for (const row of rows) this.#todo.set(row, new Set(this.steps));
    for (const step of this.#first) this.#makeReady(step, rows);
  }

  /** The next step to be done for some rows; later steps first, so that rows are finished rather than begun. */
  next(most: number): { readonly step: Step; readonly rows: readonly Row[] } | undefined {
    const step = this.steps.findLast((one) => this.#ready.has(one));
    if (!step) return undefined;
    const all = this.#ready.get(step)!;
    const rows = all.length <= most ? all : all.splice(0, most);
    if (rows === all) this.#ready.delete(step);
    return { step, rows };
  }

  /** A step is done for a row: those that waited only for it are ready. Whether the row has arrived. */
  finish(step: Step, row: Row): boolean {
    const todo = this.#todo.get(row);
    if (!todo) return false;
    todo.delete(step);
    for (const later of this.#after.get(step)!) {
      if (todo.has(later) && !this.#before.get(later)!.some((step) => todo.has(step))) this.#makeReady(later, [row]);
    }
    return this.#hasArrived(row, todo);
  }

  /** A step is not reached for a row; gives it and all that need it, which are not reached either. */
  abandon(step: Step, row: Row): Step[] {
    const todo = this.#todo.get(row);
    if (!todo) return [];
    const left = new Set([step.name]);
    for (const later of this.steps) if (later.needs.some((need) => left.has(need))) left.add(later.name);
    const abandoned = [...todo].filter(({ name }) => left.has(name));
    for (const one of abandoned) todo.delete(one);
    this.#hasArrived(row, todo);
    return abandoned;
  }

  /** The way ends here: gives every row with the steps that it still waited for. */
  leaveRest(): { readonly row: Row; readonly steps: readonly Step[] }[] {
    const rest = [...this.#todo].map(([row, todo]) => ({ row, steps: [...todo] }));
    this.#todo.clear();
    this.#ready.clear();
    return rest;
  }

  #hasArrived(row: Row, todo: ReadonlySet<Step>): boolean {
    if (todo.size === 0) this.#todo.delete(row);
    return todo.size === 0;
  }

  #makeReady(step: Step, rows: readonly Row[]): void {
    if (rows.length === 0) return;
    const waiting = this.#ready.get(step);
    if (waiting) waiting.push(...rows);
    else this.#ready.set(step, [...rows]);
  }
}
