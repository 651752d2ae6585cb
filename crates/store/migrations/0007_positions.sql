-- Positions: a type of value of their own, and names for their parts.

-- A check of a column cannot be changed in place.
DROP VIEW arrival;
ALTER TABLE signal ADD COLUMN kind TEXT CHECK (kind IN ('number', 'flag', 'text', 'position'));
UPDATE signal SET kind = value_type;
ALTER TABLE signal DROP COLUMN value_type;
ALTER TABLE signal RENAME COLUMN kind TO value_type;
CREATE VIEW arrival AS
    SELECT id AS signal_id, device_id, code, created_at, ignored_at
    FROM signal
    WHERE value_type IS NULL AND removed_at IS NULL;

-- Which number of a position is sent under a name; NULL: the whole value is.
ALTER TABLE signal_name ADD COLUMN part TEXT CHECK (part IN ('latitude', 'longitude', 'altitude', 'accuracy'));

-- A position is screened as one. What screened two numbers as such is taken out of their
-- meanings.
UPDATE signal SET meaning = json_remove(meaning, '$.document.screen.position')
    WHERE json_extract(meaning, '$.document.screen.position') IS NOT NULL;
UPDATE meaning SET document = json_remove(document, '$.document.screen.position')
    WHERE json_extract(document, '$.document.screen.position') IS NOT NULL;
UPDATE signal SET meaning = json_remove(meaning, '$.screen.position')
    WHERE json_extract(meaning, '$.screen.position') IS NOT NULL;
UPDATE meaning SET document = json_remove(document, '$.screen.position')
    WHERE json_extract(document, '$.screen.position') IS NOT NULL;
