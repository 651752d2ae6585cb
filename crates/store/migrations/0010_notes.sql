-- What people write to a time or a span: of a site, of a device or of one signal.

CREATE TABLE note (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    site_id    INTEGER NOT NULL REFERENCES site (id) ON DELETE CASCADE,
    device_id  INTEGER REFERENCES device (id) ON DELETE CASCADE,
    signal_id  INTEGER REFERENCES signal (id) ON DELETE CASCADE,
    from_at    INTEGER NOT NULL,
    to_at      INTEGER CHECK (to_at > from_at),
    text       TEXT    NOT NULL,
    written_by TEXT    NOT NULL,
    written_at INTEGER NOT NULL,
    changed_by TEXT,
    changed_at INTEGER,
    CHECK (signal_id IS NULL OR device_id IS NOT NULL),
    CHECK ((changed_by IS NULL) = (changed_at IS NULL))
) STRICT;

CREATE INDEX note_by_time ON note (site_id, from_at, id);
CREATE INDEX note_of_device ON note (device_id) WHERE device_id IS NOT NULL;
CREATE INDEX note_of_signal ON note (signal_id) WHERE signal_id IS NOT NULL;
