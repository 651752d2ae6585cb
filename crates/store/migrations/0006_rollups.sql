-- One digest for many segments of a signal in a row. It goes in the transaction
-- that changes any of them, and is made again later.
CREATE TABLE rollup (
    signal_id INTEGER NOT NULL,
    first_at  INTEGER NOT NULL,
    last_at   INTEGER NOT NULL CHECK (last_at >= first_at),
    segments  INTEGER NOT NULL CHECK (segments > 0),
    digest    BLOB    NOT NULL,
    PRIMARY KEY (signal_id, first_at)
) STRICT, WITHOUT ROWID;
