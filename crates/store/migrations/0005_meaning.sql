-- What the values of signals mean: conversions, formulas and screens.

-- The newest version's document; NULL: values are as they are sent.
ALTER TABLE signal ADD COLUMN meaning TEXT;

-- Every version there was, with the unit its values are in.
CREATE TABLE meaning (
    signal_id INTEGER NOT NULL REFERENCES signal (id) ON DELETE CASCADE,
    number    INTEGER NOT NULL CHECK (number > 0),
    document  TEXT,
    unit      TEXT,
    made_by   TEXT    NOT NULL,
    made_at   INTEGER NOT NULL,
    PRIMARY KEY (signal_id, number)
) STRICT, WITHOUT ROWID;

-- What stateful steps remember, as it was when the last reading was recorded.
CREATE TABLE memory (
    signal_id INTEGER PRIMARY KEY REFERENCES signal (id) ON DELETE CASCADE,
    memory    BLOB NOT NULL
) STRICT;

-- Times over which derived signals have to be worked out again: written with the
-- readings that make it so, deleted with those that come of it.
CREATE TABLE due (
    id        INTEGER PRIMARY KEY AUTOINCREMENT,
    signal_id INTEGER NOT NULL REFERENCES signal (id) ON DELETE CASCADE,
    from_at   INTEGER NOT NULL,
    to_at     INTEGER NOT NULL CHECK (to_at >= from_at)
) STRICT;

-- Histories that are, or were, made anew.
CREATE TABLE job (
    id        INTEGER PRIMARY KEY AUTOINCREMENT,
    signal_id INTEGER NOT NULL REFERENCES signal (id) ON DELETE CASCADE,
    from_at   INTEGER NOT NULL,
    to_at     INTEGER NOT NULL,
    made_by   TEXT    NOT NULL,
    made_at   INTEGER NOT NULL,
    ended_at  INTEGER,
    outcome   TEXT    CHECK (outcome IN ('done', 'failed', 'cancelled')),
    detail    TEXT    NOT NULL DEFAULT '',
    readings  INTEGER NOT NULL DEFAULT 0,
    CHECK ((ended_at IS NULL) = (outcome IS NULL))
) STRICT;
