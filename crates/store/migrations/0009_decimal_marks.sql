-- What stands before the decimals where numbers are shown to the people of a site.

ALTER TABLE site ADD COLUMN decimal_mark TEXT NOT NULL DEFAULT 'point' CHECK (decimal_mark IN ('point', 'comma'));
