-- People have roles site by site, and some run the service. Whoever was an owner
-- of everything becomes an administrator; others keep their role on every site.
ALTER TABLE person ADD COLUMN is_administrator INTEGER NOT NULL DEFAULT 0;
ALTER TABLE person ADD COLUMN decimal_mark TEXT CHECK (decimal_mark IN ('point', 'comma'));
ALTER TABLE person ADD COLUMN zone TEXT;
-- Where they can be reached, a line each.
ALTER TABLE person ADD COLUMN addresses TEXT NOT NULL DEFAULT '';
-- The second factor: its secret, whether it has been proved once, and the last
-- time step that was used, so that no code is taken twice.
ALTER TABLE person ADD COLUMN second_secret BLOB;
ALTER TABLE person ADD COLUMN second_since INTEGER;
ALTER TABLE person ADD COLUMN second_step INTEGER NOT NULL DEFAULT 0;
-- People who left stay as rows, so that nobody else is given their name.
ALTER TABLE person ADD COLUMN removed_at INTEGER;
UPDATE person SET is_administrator = 1 WHERE role = 'owner';

CREATE TABLE member (
    site_id   INTEGER NOT NULL REFERENCES site (id) ON DELETE CASCADE,
    person_id INTEGER NOT NULL REFERENCES person (id) ON DELETE CASCADE,
    role      TEXT    NOT NULL CHECK (role IN ('owner', 'operator', 'viewer')),
    since     INTEGER NOT NULL,
    PRIMARY KEY (site_id, person_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX member_person ON member (person_id);
INSERT INTO member SELECT site.id, person.id, person.role, person.created_at
    FROM person, site
    WHERE person.role <> 'owner' AND site.removed_at IS NULL;
ALTER TABLE person DROP COLUMN role;

-- Codes that stand in for the second factor, once each.
CREATE TABLE recovery_code (
    person_id INTEGER NOT NULL REFERENCES person (id) ON DELETE CASCADE,
    code_hash BLOB    NOT NULL,
    PRIMARY KEY (person_id, code_hash)
) STRICT, WITHOUT ROWID;

-- A log-in of a browser, or a token. A token may be held to a role and to a site.
CREATE TABLE new_session (
    id           INTEGER PRIMARY KEY AUTOINCREMENT,
    secret_hash  BLOB    NOT NULL UNIQUE,
    person_id    INTEGER NOT NULL REFERENCES person (id) ON DELETE CASCADE,
    kind         TEXT    NOT NULL CHECK (kind IN ('browser', 'token')),
    name         TEXT    NOT NULL,
    at_most      TEXT CHECK (at_most IN ('owner', 'operator', 'viewer')),
    site_id      INTEGER REFERENCES site (id) ON DELETE CASCADE,
    created_at   INTEGER NOT NULL,
    last_used_at INTEGER,
    last_from    TEXT    NOT NULL,
    expires_at   INTEGER NOT NULL
) STRICT;
INSERT INTO new_session (secret_hash, person_id, kind, name, created_at, last_from, expires_at)
    SELECT secret_hash, person_id, kind, '', created_at, '', expires_at FROM session;
DROP TABLE session;
ALTER TABLE new_session RENAME TO session;
CREATE INDEX session_person ON session (person_id);

-- One-time addresses: to come in, or to choose a new password (`person_id`).
CREATE TABLE invitation (
    id               INTEGER PRIMARY KEY AUTOINCREMENT,
    secret_hash      BLOB    NOT NULL UNIQUE,
    for_whom         TEXT    NOT NULL,
    site_id          INTEGER REFERENCES site (id) ON DELETE CASCADE,
    role             TEXT CHECK (role IN ('owner', 'operator', 'viewer')),
    is_administrator INTEGER NOT NULL,
    person_id        INTEGER REFERENCES person (id) ON DELETE CASCADE,
    invited_by       TEXT    NOT NULL,
    created_at       INTEGER NOT NULL,
    expires_at       INTEGER NOT NULL,
    CHECK ((site_id IS NULL) = (role IS NULL))
) STRICT;

-- Who changed what. Objects are named as their addresses name them, and sites by
-- id and code without a reference, so that a line outlives what it tells of.
CREATE TABLE change_record (
    id      INTEGER PRIMARY KEY AUTOINCREMENT,
    at      INTEGER NOT NULL,
    site_id INTEGER,
    site    TEXT,
    who     TEXT    NOT NULL,
    way     TEXT    NOT NULL,
    origin  TEXT    NOT NULL,
    action  TEXT    NOT NULL,
    object  TEXT    NOT NULL,
    before  TEXT,
    after   TEXT,
    undone_by INTEGER
) STRICT;
CREATE INDEX change_record_site ON change_record (site_id, id);
CREATE INDEX change_record_object ON change_record (site_id, object, id);

-- The latest time that was believed, so that nothing is deleted for its age when
-- the clock leaps ahead.
CREATE TABLE trusted_time (
    id     INTEGER PRIMARY KEY CHECK (id = 1),
    latest INTEGER NOT NULL
) STRICT;
