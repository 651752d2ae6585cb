-- Views of charts that people keep by name: what the console's address says of them.

CREATE TABLE view (
    id      INTEGER PRIMARY KEY,
    site_id INTEGER NOT NULL REFERENCES site (id) ON DELETE CASCADE,
    name    TEXT    NOT NULL,
    query   TEXT    NOT NULL,
    kept_by TEXT    NOT NULL,
    kept_at INTEGER NOT NULL,
    UNIQUE (site_id, name)
) STRICT;
