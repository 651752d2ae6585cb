-- State of MQTT sessions and retained messages, as keyed bytes: what they mean
-- is not the database's business.
CREATE TABLE kept_state (
    site_id INTEGER NOT NULL,
    owner   TEXT    NOT NULL,
    part    TEXT    NOT NULL,
    item    TEXT    NOT NULL,
    value   BLOB    NOT NULL,
    PRIMARY KEY (site_id, owner, part, item)
) STRICT, WITHOUT ROWID;

-- Topics of its own that a device listens to, and commands it understands, as JSON.
ALTER TABLE device ADD COLUMN topics TEXT;
ALTER TABLE device ADD COLUMN commands TEXT;
-- Until when a device admits what it has not carried before.
ALTER TABLE device ADD COLUMN joining_until INTEGER;
ALTER TABLE device ADD COLUMN joining_kind_id INTEGER REFERENCES kind (id);

-- What a signal tells of the link of its device.
ALTER TABLE signal ADD COLUMN role TEXT CHECK (role IN ('sequence', 'battery', 'link'));

CREATE TABLE command (
    id           INTEGER PRIMARY KEY AUTOINCREMENT,
    device_id    INTEGER NOT NULL,
    name         TEXT    NOT NULL,
    arguments    TEXT    NOT NULL,
    given_by     TEXT    NOT NULL,
    given_at     INTEGER NOT NULL,
    expires_at   INTEGER,
    timeout_s    REAL    NOT NULL,
    state        TEXT    NOT NULL,
    delivered_at INTEGER,
    ended_at     INTEGER,
    answer       TEXT    NOT NULL
) STRICT;
CREATE INDEX command_device ON command (device_id, id);
CREATE INDEX command_open ON command (id) WHERE ended_at IS NULL;

-- How a device's messages came through, by hour (seconds since 1970).
CREATE TABLE link_hour (
    device_id INTEGER NOT NULL,
    hour      INTEGER NOT NULL,
    received  INTEGER NOT NULL,
    lost      INTEGER NOT NULL,
    repeated  INTEGER NOT NULL,
    restarted INTEGER NOT NULL,
    PRIMARY KEY (device_id, hour)
) STRICT, WITHOUT ROWID;
