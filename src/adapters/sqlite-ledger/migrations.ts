/** The steps from an empty file to today's format. A step that has been released is never changed. */
export const MIGRATIONS: readonly string[] = [
  `
  CREATE TABLE answers (
    id INTEGER PRIMARY KEY,
    fingerprint BLOB NOT NULL UNIQUE,
    template TEXT NOT NULL,
    version INTEGER NOT NULL,
    model TEXT NOT NULL,
    run TEXT NOT NULL,
    at INTEGER NOT NULL,
    spent INTEGER NOT NULL,
    answer TEXT NOT NULL
  );
  CREATE INDEX answers_run ON answers (run);
  CREATE TABLE places (id INTEGER PRIMARY KEY, plan TEXT NOT NULL, step TEXT NOT NULL, UNIQUE (plan, step));
  CREATE TABLE cells (
    place INTEGER NOT NULL REFERENCES places (id),
    key TEXT NOT NULL,
    state TEXT NOT NULL,
    reason TEXT,
    fingerprint BLOB,
    given TEXT NOT NULL,
    edited TEXT,
    run TEXT NOT NULL,
    at INTEGER NOT NULL,
    PRIMARY KEY (place, key)
  ) WITHOUT ROWID;
  CREATE TABLE versions (
    template TEXT NOT NULL,
    version INTEGER NOT NULL,
    hash TEXT NOT NULL,
    text TEXT NOT NULL,
    at INTEGER NOT NULL,
    PRIMARY KEY (template, version),
    UNIQUE (template, hash)
  );
  CREATE TABLE runs (
    id TEXT PRIMARY KEY,
    kind TEXT NOT NULL,
    subject TEXT NOT NULL,
    started INTEGER NOT NULL,
    ended INTEGER,
    outcome TEXT,
    tally TEXT
  );
  CREATE INDEX runs_subject ON runs (kind, subject, started);
  CREATE TABLE notes (name TEXT PRIMARY KEY, value TEXT NOT NULL);
  `,
  "ALTER TABLE cells ADD COLUMN notes TEXT",
  "CREATE TABLE claims (name TEXT PRIMARY KEY, process INTEGER NOT NULL, mark TEXT NOT NULL)",
  "ALTER TABLE cells ADD COLUMN was TEXT",
  "ALTER TABLE answers ADD COLUMN basis TEXT",
  `
  CREATE TABLE charges (
    run TEXT NOT NULL,
    step TEXT NOT NULL,
    model TEXT NOT NULL,
    day INTEGER NOT NULL,
    requests INTEGER NOT NULL,
    tokens_in INTEGER NOT NULL,
    tokens_out INTEGER NOT NULL,
    spent INTEGER NOT NULL,
    unsure INTEGER NOT NULL,
    PRIMARY KEY (run, step, model, day)
  ) WITHOUT ROWID;
  CREATE INDEX charges_day ON charges (day);
  INSERT INTO charges
    SELECT run, '', model, at / 86400000, sum(coalesce(answer ->> '$.asks', 1)), sum(coalesce(answer ->> '$.usage.tokensIn', 0)), sum(coalesce(answer ->> '$.usage.tokensOut', 0)), sum(spent), 0
    FROM answers GROUP BY run, model, at / 86400000;
  `,
  "ALTER TABLE cells ADD COLUMN edited_on TEXT; ALTER TABLE cells ADD COLUMN past TEXT; ALTER TABLE cells ADD COLUMN form INTEGER",
  `
  DROP TABLE claims;
  CREATE TABLE leases (name TEXT PRIMARY KEY, holder TEXT NOT NULL, process INTEGER NOT NULL, until INTEGER NOT NULL) WITHOUT ROWID;
  CREATE TABLE reservations (holder TEXT PRIMARY KEY, process INTEGER NOT NULL, amount INTEGER NOT NULL, until INTEGER NOT NULL) WITHOUT ROWID;
  `,
  "-- From here on reasons and notes are codes with details; sentences that stand are read as before.",
  `
  ALTER TABLE cells ADD COLUMN held TEXT;
  ALTER TABLE cells ADD COLUMN marks TEXT;
  ALTER TABLE cells ADD COLUMN alike TEXT;
  CREATE INDEX cells_held ON cells (place, key) WHERE alike > '';
  CREATE INDEX cells_alike ON cells (place, alike, key) WHERE alike IS NOT NULL;
  CREATE TABLE replaced (
    by_run TEXT NOT NULL,
    place INTEGER NOT NULL REFERENCES places (id),
    key TEXT NOT NULL,
    state TEXT NOT NULL,
    reason TEXT,
    fingerprint BLOB,
    given TEXT NOT NULL,
    edited TEXT,
    was TEXT,
    notes TEXT,
    run TEXT NOT NULL,
    at INTEGER NOT NULL,
    edited_on TEXT,
    past TEXT,
    form INTEGER,
    held TEXT,
    marks TEXT,
    PRIMARY KEY (by_run, place, key)
  ) WITHOUT ROWID;
  CREATE TABLE decisions (
    id INTEGER PRIMARY KEY,
    act TEXT NOT NULL,
    place INTEGER NOT NULL REFERENCES places (id),
    key TEXT NOT NULL,
    undone TEXT,
    decision TEXT NOT NULL
  );
  CREATE INDEX decisions_key ON decisions (place, key);
  CREATE INDEX decisions_act ON decisions (act);
  CREATE TABLE checks (id TEXT PRIMARY KEY, plan TEXT NOT NULL, at INTEGER NOT NULL, drawn TEXT NOT NULL);
  CREATE INDEX checks_plan ON checks (plan, at);
  `,
  `
  CREATE TABLE afterwards (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    plan TEXT NOT NULL,
    key TEXT NOT NULL,
    rules TEXT NOT NULL,
    at INTEGER NOT NULL,
    UNIQUE (plan, key)
  );
  CREATE TABLE notices (
    n INTEGER PRIMARY KEY AUTOINCREMENT,
    id TEXT NOT NULL UNIQUE,
    plan TEXT NOT NULL,
    waits INTEGER NOT NULL,
    notice TEXT NOT NULL
  );
  CREATE INDEX notices_waiting ON notices (plan, waits, n);
  `,
  `
  ALTER TABLE runs ADD COLUMN cells INTEGER;
  CREATE INDEX replaced_run ON replaced (run, place, key);
  `,
  "ALTER TABLE reservations ADD COLUMN run TEXT",
];
