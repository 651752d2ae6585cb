-- Rosters, alarms in their hands, and the messages that went out.

CREATE TABLE roster (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    site_id     INTEGER NOT NULL REFERENCES site (id) ON DELETE CASCADE,
    code        TEXT    NOT NULL,
    -- As it was written, in JSON.
    body        TEXT    NOT NULL,
    -- From which severity on it calls.
    least       INTEGER NOT NULL,
    -- What its webhooks are signed with.
    signing_key TEXT    NOT NULL,
    made_by     TEXT    NOT NULL,
    made_at     INTEGER NOT NULL,
    changed_by  TEXT,
    changed_at  INTEGER,
    UNIQUE (site_id, code)
) STRICT;

-- An alarm in the hands of a roster. It ends with the alarm.
CREATE TABLE calling (
    id        INTEGER PRIMARY KEY AUTOINCREMENT,
    alarm_id  INTEGER NOT NULL REFERENCES alarm (id) ON DELETE CASCADE,
    roster_id INTEGER NOT NULL REFERENCES roster (id) ON DELETE CASCADE,
    -- How many steps were done.
    step      INTEGER NOT NULL DEFAULT 0,
    -- When the next one is due; none if only the end is waited for.
    due_at    INTEGER,
    -- When that was decided: if this is ahead of the clock, the clock was put back.
    set_at    INTEGER NOT NULL,
    UNIQUE (alarm_id, roster_id)
) STRICT;

CREATE INDEX calling_of_roster ON calling (roster_id);

-- A message to one address. It outlives its roster.
CREATE TABLE callout (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    site_id    INTEGER NOT NULL REFERENCES site (id) ON DELETE CASCADE,
    roster     TEXT    NOT NULL,
    -- Whom the roster named: a person or an address.
    callee     TEXT    NOT NULL,
    way        TEXT    NOT NULL,
    address    TEXT    NOT NULL,
    -- call, end or test.
    sort       TEXT    NOT NULL,
    subject    TEXT    NOT NULL,
    text       TEXT    NOT NULL,
    -- The hash of what acknowledges its alarms, and until when; used once.
    link_hash  BLOB,
    link_until INTEGER,
    -- waiting, sending, sent, failed, uncertain or dropped.
    state      TEXT    NOT NULL,
    attempts   INTEGER NOT NULL DEFAULT 0,
    made_at    INTEGER NOT NULL,
    next_at    INTEGER,
    ended_at   INTEGER
) STRICT;

CREATE INDEX callout_of_site ON callout (site_id, id);
CREATE INDEX callout_open ON callout (state) WHERE state IN ('waiting', 'sending');
CREATE INDEX callout_to ON callout (roster, callee, made_at);
CREATE UNIQUE INDEX callout_link ON callout (link_hash) WHERE link_hash IS NOT NULL;

CREATE TABLE callout_alarm (
    callout_id INTEGER NOT NULL REFERENCES callout (id) ON DELETE CASCADE,
    alarm_id   INTEGER NOT NULL REFERENCES alarm (id) ON DELETE CASCADE,
    PRIMARY KEY (callout_id, alarm_id)
) STRICT, WITHOUT ROWID;

CREATE INDEX callout_alarm_of ON callout_alarm (alarm_id, callout_id);

CREATE TABLE callout_attempt (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    callout_id INTEGER NOT NULL REFERENCES callout (id) ON DELETE CASCADE,
    began_at   INTEGER NOT NULL,
    ended_at   INTEGER,
    -- sent, refused, later or uncertain; none while it goes on.
    outcome    TEXT,
    -- What the server said.
    said       TEXT    NOT NULL DEFAULT ''
) STRICT;

CREATE INDEX callout_attempt_of ON callout_attempt (callout_id, id);

CREATE INDEX watch_point_of_alarm ON watch_point (alarm_id) WHERE alarm_id IS NOT NULL;
