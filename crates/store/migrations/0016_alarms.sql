-- Watches, what each of them is on, and the alarms they raised.

CREATE TABLE watch (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    site_id    INTEGER NOT NULL REFERENCES site (id) ON DELETE CASCADE,
    code       TEXT    NOT NULL,
    -- As it was written, in JSON.
    body       TEXT    NOT NULL,
    made_by    TEXT    NOT NULL,
    made_at    INTEGER NOT NULL,
    changed_by TEXT,
    changed_at INTEGER,
    UNIQUE (site_id, code)
) STRICT;

-- A watch on one signal or device: what is remembered of it. One on the service has neither.
CREATE TABLE watch_point (
    id            INTEGER PRIMARY KEY AUTOINCREMENT,
    watch_id      INTEGER NOT NULL REFERENCES watch (id) ON DELETE CASCADE,
    device_id     INTEGER REFERENCES device (id) ON DELETE CASCADE,
    signal_id     INTEGER REFERENCES signal (id) ON DELETE CASCADE,
    -- The state and what the judge remembers, in JSON.
    state         TEXT    NOT NULL,
    memory        TEXT    NOT NULL,
    shelved_until INTEGER,
    -- The alarm that goes on, or that nobody has acknowledged yet.
    alarm_id      INTEGER
) STRICT;

CREATE UNIQUE INDEX watch_point_of ON watch_point (watch_id, coalesce(device_id, 0), coalesce(signal_id, 0));
CREATE INDEX watch_point_of_device ON watch_point (device_id) WHERE device_id IS NOT NULL;
CREATE INDEX watch_point_of_signal ON watch_point (signal_id) WHERE signal_id IS NOT NULL;

-- One time a condition held. It outlives its watch.
CREATE TABLE alarm (
    id              INTEGER PRIMARY KEY AUTOINCREMENT,
    site_id         INTEGER NOT NULL REFERENCES site (id) ON DELETE CASCADE,
    point_id        INTEGER NOT NULL,
    watch           TEXT    NOT NULL,
    name            TEXT    NOT NULL,
    severity        INTEGER NOT NULL,
    device_id       INTEGER REFERENCES device (id) ON DELETE CASCADE,
    signal_id       INTEGER REFERENCES signal (id) ON DELETE CASCADE,
    value           TEXT,
    raised_at       INTEGER NOT NULL,
    -- When the service knew.
    recorded_at     INTEGER NOT NULL,
    cleared_at      INTEGER,
    acknowledged_at INTEGER,
    acknowledged_by TEXT,
    -- Nobody was called: it was shelved, out of service, or another alarm was its cause.
    is_silent       INTEGER NOT NULL DEFAULT 0,
    -- Found in the history by readings that came late.
    is_found        INTEGER NOT NULL DEFAULT 0,
    -- The alarm that is its cause.
    cause_id        INTEGER,
    UNIQUE (point_id, raised_at)
) STRICT;

CREATE INDEX alarm_by_time ON alarm (site_id, raised_at, id);
CREATE INDEX alarm_open ON alarm (site_id, severity) WHERE cleared_at IS NULL OR acknowledged_at IS NULL;
CREATE INDEX alarm_of_device ON alarm (device_id) WHERE device_id IS NOT NULL;
CREATE INDEX alarm_of_signal ON alarm (signal_id) WHERE signal_id IS NOT NULL;

CREATE TABLE alarm_step (
    id       INTEGER PRIMARY KEY AUTOINCREMENT,
    alarm_id INTEGER NOT NULL REFERENCES alarm (id) ON DELETE CASCADE,
    at       INTEGER NOT NULL,
    step     TEXT    NOT NULL,
    who      TEXT,
    note     TEXT    NOT NULL DEFAULT ''
) STRICT;

CREATE INDEX alarm_step_of ON alarm_step (alarm_id, id);
