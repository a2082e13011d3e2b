/**
 * The steps from an empty schema to today's format. A step that has been released is never changed.
 *
 * @param s the schema's name, quoted.
 */
export const MIGRATIONS: readonly ((s: string) => string)[] = [
  (s) => `
  CREATE TABLE ${s}.answers (
    id bigint GENERATED ALWAYS AS IDENTITY UNIQUE,
    fingerprint bytea PRIMARY KEY,
    template text NOT NULL,
    version integer NOT NULL,
    model text NOT NULL,
    run text NOT NULL,
    at bigint NOT NULL,
    spent bigint NOT NULL,
    basis text,
    answer text NOT NULL
  );
  CREATE INDEX answers_run ON ${s}.answers (run);
  CREATE TABLE ${s}.places (id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY, plan text NOT NULL, step text NOT NULL, UNIQUE (plan, step));
  CREATE TABLE ${s}.cells (
    place integer NOT NULL REFERENCES ${s}.places (id),
    key text COLLATE "C" NOT NULL,
    state text NOT NULL,
    reason text,
    fingerprint bytea,
    given text NOT NULL,
    edited text,
    was text,
    notes text,
    run text NOT NULL,
    at bigint NOT NULL,
    edited_on text,
    past text,
    form integer,
    held text,
    marks text,
    alike text COLLATE "C",
    PRIMARY KEY (place, key)
  ) WITH (fillfactor = 80);
  CREATE INDEX cells_held ON ${s}.cells (place, key) WHERE alike > '';
  CREATE INDEX cells_alike ON ${s}.cells (place, alike, key) WHERE alike IS NOT NULL;
  CREATE TABLE ${s}.replaced (
    by_run text NOT NULL,
    place integer NOT NULL REFERENCES ${s}.places (id),
    key text COLLATE "C" NOT NULL,
    state text NOT NULL,
    reason text,
    fingerprint bytea,
    given text NOT NULL,
    edited text,
    was text,
    notes text,
    run text NOT NULL,
    at bigint NOT NULL,
    edited_on text,
    past text,
    form integer,
    held text,
    marks text,
    PRIMARY KEY (by_run, place, key)
  );
  CREATE INDEX replaced_run ON ${s}.replaced (run, place, key);
  CREATE TABLE ${s}.decisions (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    act text NOT NULL,
    place integer NOT NULL REFERENCES ${s}.places (id),
    key text COLLATE "C" NOT NULL,
    undone text,
    decision text NOT NULL
  );
  CREATE INDEX decisions_key ON ${s}.decisions (place, key);
  CREATE INDEX decisions_act ON ${s}.decisions (act);
  CREATE TABLE ${s}.checks (n bigint GENERATED ALWAYS AS IDENTITY, id text PRIMARY KEY, plan text NOT NULL, at bigint NOT NULL, drawn text NOT NULL);
  CREATE INDEX checks_plan ON ${s}.checks (plan, at);
  CREATE SEQUENCE ${s}.afterwards_id;
  CREATE TABLE ${s}.afterwards (
    plan text NOT NULL,
    key text COLLATE "C" NOT NULL,
    id bigint NOT NULL,
    rules text NOT NULL,
    at bigint NOT NULL,
    PRIMARY KEY (plan, key)
  );
  CREATE INDEX afterwards_newest ON ${s}.afterwards (plan, id);
  CREATE TABLE ${s}.notices (
    n bigint GENERATED ALWAYS AS IDENTITY,
    id text PRIMARY KEY,
    plan text NOT NULL,
    waits boolean NOT NULL,
    notice text NOT NULL
  );
  CREATE INDEX notices_waiting ON ${s}.notices (plan, waits, n);
  CREATE TABLE ${s}.versions (
    template text NOT NULL,
    version integer NOT NULL,
    hash text NOT NULL,
    text text NOT NULL,
    at bigint NOT NULL,
    PRIMARY KEY (template, version),
    UNIQUE (template, hash)
  );
  CREATE TABLE ${s}.runs_of (
    id text PRIMARY KEY,
    kind text NOT NULL,
    subject text NOT NULL,
    started bigint NOT NULL,
    ended bigint,
    outcome text,
    tally text
  );
  CREATE INDEX runs_subject ON ${s}.runs_of (kind, subject, started);
  -- What many add to is kept by who adds: of one row each commit would wait for the one before.
  CREATE TABLE ${s}.cells_of_runs (run text NOT NULL, writer smallint NOT NULL, cells bigint NOT NULL, PRIMARY KEY (run, writer));
  CREATE VIEW ${s}.runs AS SELECT r.*, coalesce((SELECT sum(c.cells) FROM ${s}.cells_of_runs c WHERE c.run = r.id), 0)::bigint AS cells
  FROM ${s}.runs_of r;
  CREATE TABLE ${s}.charges_of (
    run text NOT NULL,
    step text NOT NULL,
    model text NOT NULL,
    day integer NOT NULL,
    requests bigint NOT NULL,
    tokens_in bigint NOT NULL,
    tokens_out bigint NOT NULL,
    spent bigint NOT NULL,
    unsure bigint NOT NULL,
    writer smallint NOT NULL,
    PRIMARY KEY (run, step, model, day, writer)
  );
  CREATE INDEX charges_day ON ${s}.charges_of (day);
  CREATE VIEW ${s}.charges AS SELECT run, step, model, day, sum(requests)::bigint AS requests, sum(tokens_in)::bigint AS tokens_in,
    sum(tokens_out)::bigint AS tokens_out, sum(spent)::bigint AS spent, sum(unsure)::bigint AS unsure
  FROM ${s}.charges_of GROUP BY run, step, model, day;
  CREATE TABLE ${s}.facts (name text COLLATE "C" PRIMARY KEY, value text NOT NULL);
  -- Who is at work: held names and reservations of one that is no longer seen are free.
  CREATE TABLE ${s}.sessions (id text PRIMARY KEY, seen timestamptz NOT NULL, host text NOT NULL, process integer NOT NULL);
  CREATE TABLE ${s}.leases (name text COLLATE "C" PRIMARY KEY, holder text NOT NULL, session text NOT NULL, until double precision NOT NULL);
  CREATE INDEX leases_holder ON ${s}.leases (holder);
  CREATE TABLE ${s}.reservations (
    holder text PRIMARY KEY,
    session text NOT NULL,
    amount bigint NOT NULL,
    until double precision NOT NULL,
    run text
  );
  -- What has been written, by a name of its own: a commit whose answer was lost is not done a second time.
  CREATE TABLE ${s}.commits (id text PRIMARY KEY, seq bigint GENERATED ALWAYS AS IDENTITY, session text NOT NULL, at timestamptz NOT NULL DEFAULT now());
  CREATE INDEX commits_seq ON ${s}.commits (seq);
  `,
];
