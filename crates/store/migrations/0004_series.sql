-- Readings are no longer rows. A group of deliveries is one entry of the
-- journal; the sealer makes segments of what has settled. What lies in the table
-- `reading` of an older file becomes segments when the file is opened, and the
-- table goes.

-- Each entry: changes of several signals as one blob (docs/reference/segments.md).
CREATE TABLE recent (
    id   INTEGER PRIMARY KEY AUTOINCREMENT,
    body BLOB NOT NULL
) STRICT;

-- Up to which journal entry a signal's changes are in its segments.
CREATE TABLE sealed (
    signal_id INTEGER PRIMARY KEY,
    entry     INTEGER NOT NULL
) STRICT;

-- What is known of each segment without reading it. Segments of one signal never
-- overlap. One without data has outlived its readings: its digest is left.
CREATE TABLE segment (
    signal_id INTEGER NOT NULL,
    first_at  INTEGER NOT NULL,
    last_at   INTEGER NOT NULL CHECK (last_at >= first_at),
    count     INTEGER NOT NULL CHECK (count > 0),
    longest   INTEGER NOT NULL CHECK (longest >= 0),
    data_id   INTEGER,
    digest    BLOB    NOT NULL,
    PRIMARY KEY (signal_id, first_at)
) STRICT, WITHOUT ROWID;

-- Apart, so that looking through many segments reads only what is known of them.
CREATE TABLE segment_data (
    id   INTEGER PRIMARY KEY AUTOINCREMENT,
    data BLOB NOT NULL
) STRICT;

-- Segments that could not be read any more when something was to be laid over
-- them, or that a check found: kept as they are, for nobody's use but rescue.
CREATE TABLE damaged (
    signal_id INTEGER NOT NULL,
    first_at  INTEGER NOT NULL,
    last_at   INTEGER NOT NULL,
    count     INTEGER NOT NULL,
    data      BLOB    NOT NULL
) STRICT;

-- How long readings and summaries are kept, in seconds; NULL is for ever. What a
-- signal has goes before what the kind of its device has.
CREATE TABLE retention (
    signal_id INTEGER UNIQUE REFERENCES signal (id) ON DELETE CASCADE,
    kind_id   INTEGER UNIQUE REFERENCES kind (id) ON DELETE CASCADE,
    raw_s     REAL,
    minute_s  REAL,
    hour_s    REAL,
    day_s     REAL,
    CHECK ((signal_id IS NULL) <> (kind_id IS NULL))
) STRICT;
