-- The key a key of a site followed, and those before it: the number of the first.
ALTER TABLE access_key ADD COLUMN lineage INTEGER;
CREATE INDEX access_key_lineage ON access_key (lineage) WHERE lineage IS NOT NULL;
