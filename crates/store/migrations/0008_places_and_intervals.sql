-- Where a device stands in words, and how often a signal is expected by itself.

ALTER TABLE device ADD COLUMN place TEXT NOT NULL DEFAULT '';
ALTER TABLE signal ADD COLUMN interval_s REAL CHECK (interval_s > 0);
