-- What came of each device by hour and by the way it came.

CREATE TABLE traffic_hour (
    device_id INTEGER NOT NULL,
    hour      INTEGER NOT NULL,
    protocol  TEXT    NOT NULL,
    messages  INTEGER NOT NULL,
    refused   INTEGER NOT NULL,
    readings  INTEGER NOT NULL,
    repeated  INTEGER NOT NULL,
    late      INTEGER NOT NULL,
    oldest_s  INTEGER NOT NULL,
    PRIMARY KEY (device_id, hour, protocol)
) STRICT, WITHOUT ROWID;
