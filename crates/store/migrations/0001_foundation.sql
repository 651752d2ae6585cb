-- Times are microseconds since 1970 in UTC. Ids of devices and signals are
-- never used again (AUTOINCREMENT), because caches and readings refer to them.
-- Removed sites, devices and signals stay as marked rows until the sweep has
-- deleted their readings in small transactions.

CREATE TABLE person (
    id            INTEGER PRIMARY KEY,
    name          TEXT    NOT NULL UNIQUE COLLATE NOCASE,
    password_hash TEXT    NOT NULL,
    role          TEXT    NOT NULL CHECK (role IN ('owner', 'operator', 'viewer')),
    created_at    INTEGER NOT NULL
) STRICT;

CREATE TABLE session (
    secret_hash BLOB    PRIMARY KEY,
    person_id   INTEGER NOT NULL REFERENCES person (id) ON DELETE CASCADE,
    kind        TEXT    NOT NULL CHECK (kind IN ('browser', 'token')),
    created_at  INTEGER NOT NULL,
    expires_at  INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

CREATE TABLE site (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    code       TEXT    NOT NULL,
    name       TEXT    NOT NULL,
    zone       TEXT    NOT NULL,
    latitude   REAL,
    longitude  REAL,
    altitude_m REAL,
    created_at INTEGER NOT NULL,
    removed_at INTEGER
) STRICT;
CREATE UNIQUE INDEX site_code ON site (code) WHERE removed_at IS NULL;

CREATE TABLE device (
    id            INTEGER PRIMARY KEY AUTOINCREMENT,
    site_id       INTEGER NOT NULL REFERENCES site (id),
    code          TEXT    NOT NULL,
    name          TEXT    NOT NULL,
    note          TEXT    NOT NULL,
    interval_s    REAL    NOT NULL CHECK (interval_s > 0),
    latitude      REAL,
    longitude     REAL,
    altitude_m    REAL,
    created_at    INTEGER NOT NULL,
    last_heard_at INTEGER,
    removed_at    INTEGER
) STRICT;
CREATE UNIQUE INDEX device_code ON device (site_id, code) WHERE removed_at IS NULL;

-- A signal without a value type is an arrival: a name some sender used that
-- nobody has declared. Its readings are kept like any other's.
CREATE TABLE signal (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    device_id  INTEGER NOT NULL REFERENCES device (id),
    code       TEXT    NOT NULL,
    name       TEXT    NOT NULL,
    note       TEXT    NOT NULL,
    value_type TEXT CHECK (value_type IN ('number', 'flag', 'text')),
    unit       TEXT,
    created_at INTEGER NOT NULL,
    removed_at INTEGER
) STRICT;
CREATE UNIQUE INDEX signal_code ON signal (device_id, code) WHERE removed_at IS NULL;
CREATE INDEX signal_removed ON signal (removed_at) WHERE removed_at IS NOT NULL;

CREATE VIEW arrival AS
    SELECT id AS signal_id, device_id, code, created_at
    FROM signal
    WHERE value_type IS NULL AND removed_at IS NULL;

CREATE TABLE device_key (
    id           INTEGER PRIMARY KEY AUTOINCREMENT,
    device_id    INTEGER NOT NULL REFERENCES device (id) ON DELETE CASCADE,
    secret_hash  BLOB    NOT NULL UNIQUE,
    hint         TEXT    NOT NULL,
    note         TEXT    NOT NULL,
    created_at   INTEGER NOT NULL,
    last_used_at INTEGER,
    revoked_at   INTEGER
) STRICT;
CREATE INDEX device_key_device ON device_key (device_id);

-- The storage class tells the type: REAL a number, INTEGER a flag, TEXT a text.
-- No foreign key: checking it for each reading would cost a look-up per row,
-- and the sweep removes a signal only after its readings.
CREATE TABLE reading (
    signal_id INTEGER NOT NULL,
    at        INTEGER NOT NULL,
    value     ANY     NOT NULL,
    PRIMARY KEY (signal_id, at)
) STRICT, WITHOUT ROWID;

-- Values that a later delivery for the same time replaced.
CREATE TABLE correction (
    signal_id   INTEGER NOT NULL,
    at          INTEGER NOT NULL,
    replaced_at INTEGER NOT NULL,
    value       ANY     NOT NULL
) STRICT;
CREATE INDEX correction_signal ON correction (signal_id, at);
