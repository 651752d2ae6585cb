-- Kinds: makes of device, described once. Each change is a new revision; a
-- description is the JSON document that export and import use as well.
CREATE TABLE kind (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    site_id    INTEGER NOT NULL REFERENCES site (id),
    code       TEXT    NOT NULL,
    created_at INTEGER NOT NULL,
    removed_at INTEGER
) STRICT;
CREATE UNIQUE INDEX kind_code ON kind (site_id, code) WHERE removed_at IS NULL;

CREATE TABLE kind_revision (
    kind_id     INTEGER NOT NULL REFERENCES kind (id) ON DELETE CASCADE,
    number      INTEGER NOT NULL,
    description TEXT    NOT NULL,
    made_by     TEXT    NOT NULL,
    made_at     INTEGER NOT NULL,
    PRIMARY KEY (kind_id, number)
) STRICT, WITHOUT ROWID;

-- A waiting device is one nobody has declared; one in trial has been, but is
-- not relied upon yet. Devices from before this migration are live.
ALTER TABLE device ADD COLUMN state TEXT NOT NULL DEFAULT 'live' CHECK (state IN ('waiting', 'trial', 'live'));
ALTER TABLE device ADD COLUMN trial_since INTEGER;
ALTER TABLE device ADD COLUMN kind_id INTEGER REFERENCES kind (id);
ALTER TABLE device ADD COLUMN kind_revision INTEGER;
ALTER TABLE device ADD COLUMN decoder TEXT;
ALTER TABLE device ADD COLUMN late_after REAL;
ALTER TABLE device ADD COLUMN silent_after REAL;
-- The device that carries this one's messages, and what it is called there.
ALTER TABLE device ADD COLUMN carrier_id INTEGER REFERENCES device (id);
ALTER TABLE device ADD COLUMN identity TEXT;
-- Whether the contact log keeps the beginning of payloads.
ALTER TABLE device ADD COLUMN keeps_payload INTEGER NOT NULL DEFAULT 0;
ALTER TABLE device ADD COLUMN soak_from INTEGER;
ALTER TABLE device ADD COLUMN soak_s REAL;
CREATE UNIQUE INDEX device_identity ON device (site_id, identity) WHERE identity IS NOT NULL AND removed_at IS NULL;

-- What values can be, who may enter them by hand, and names nobody wants.
ALTER TABLE signal ADD COLUMN low REAL;
ALTER TABLE signal ADD COLUMN high REAL;
ALTER TABLE signal ADD COLUMN is_reserved INTEGER NOT NULL DEFAULT 0;
ALTER TABLE signal ADD COLUMN ignored_at INTEGER;

DROP VIEW arrival;
CREATE VIEW arrival AS
    SELECT id AS signal_id, device_id, code, created_at, ignored_at
    FROM signal
    WHERE value_type IS NULL AND removed_at IS NULL;

-- Other names that senders use for a signal.
CREATE TABLE signal_name (
    device_id INTEGER NOT NULL REFERENCES device (id) ON DELETE CASCADE,
    name      TEXT    NOT NULL,
    signal_id INTEGER NOT NULL REFERENCES signal (id) ON DELETE CASCADE,
    PRIMARY KEY (device_id, name)
) STRICT, WITHOUT ROWID;
CREATE INDEX signal_name_signal ON signal_name (signal_id);

-- A key without a device is the site's: what is sent with it names its device.
CREATE TABLE access_key (
    id             INTEGER PRIMARY KEY AUTOINCREMENT,
    site_id        INTEGER NOT NULL REFERENCES site (id) ON DELETE CASCADE,
    device_id      INTEGER REFERENCES device (id) ON DELETE CASCADE,
    secret_hash    BLOB    NOT NULL UNIQUE,
    hint           TEXT    NOT NULL,
    note           TEXT    NOT NULL,
    grants         TEXT    NOT NULL,
    created_at     INTEGER NOT NULL,
    expires_at     INTEGER,
    last_used_at   INTEGER,
    last_used_from TEXT,
    revoked_at     INTEGER
) STRICT;
INSERT INTO access_key (id, site_id, device_id, secret_hash, hint, note, grants, created_at, last_used_at, revoked_at)
    SELECT k.id, d.site_id, k.device_id, k.secret_hash, k.hint, k.note, 'send', k.created_at, k.last_used_at,
           k.revoked_at
    FROM device_key AS k JOIN device AS d ON d.id = k.device_id;
DROP TABLE device_key;
CREATE INDEX access_key_device ON access_key (device_id);
CREATE INDEX access_key_site ON access_key (site_id) WHERE device_id IS NULL;

-- Attempts to deliver. Without device and site: with a key nobody has.
CREATE TABLE contact (
    id        INTEGER PRIMARY KEY AUTOINCREMENT,
    site_id   INTEGER,
    device_id INTEGER,
    at        INTEGER NOT NULL,
    details   TEXT    NOT NULL,
    payload   BLOB
) STRICT;
CREATE INDEX contact_device ON contact (device_id, id);

CREATE TABLE presence_change (
    device_id INTEGER NOT NULL,
    at        INTEGER NOT NULL,
    presence  TEXT    NOT NULL,
    PRIMARY KEY (device_id, at)
) STRICT, WITHOUT ROWID;

-- Dummy values that a sender is asked for, to prove the path of a signal.
CREATE TABLE dummy_test (
    signal_id INTEGER PRIMARY KEY REFERENCES signal (id) ON DELETE CASCADE,
    expected  REAL    NOT NULL,
    tolerance REAL    NOT NULL,
    asked_at  INTEGER NOT NULL,
    passed_at INTEGER
) STRICT;

CREATE TABLE commissioning_report (
    id        INTEGER PRIMARY KEY AUTOINCREMENT,
    device_id INTEGER NOT NULL,
    at        INTEGER NOT NULL,
    person    TEXT    NOT NULL,
    report    TEXT    NOT NULL
) STRICT;
CREATE INDEX commissioning_report_device ON commissioning_report (device_id, id);

-- Who entered a reading by hand, and why.
CREATE TABLE hand_reading (
    signal_id  INTEGER NOT NULL,
    at         INTEGER NOT NULL,
    person     TEXT    NOT NULL,
    note       TEXT    NOT NULL,
    entered_at INTEGER NOT NULL,
    PRIMARY KEY (signal_id, at)
) STRICT, WITHOUT ROWID;
