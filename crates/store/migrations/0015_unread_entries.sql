-- Entries of the journal that could not be read at a start: kept as they are, for nobody's use but
-- rescue. The journal itself is trimmed past them.
CREATE TABLE unread_entry (
    id       INTEGER PRIMARY KEY,
    body     BLOB    NOT NULL,
    found_at INTEGER NOT NULL
) STRICT;
