-- How a shot's files came in: empty where they did, `coming` while they do, else what went wrong, in words.
ALTER TABLE shots ADD COLUMN arrival TEXT NOT NULL DEFAULT '';
-- They rise with every accepted change of the row.
ALTER TABLE shots ADD COLUMN revision INTEGER NOT NULL DEFAULT 1;
ALTER TABLE profiles ADD COLUMN revision INTEGER NOT NULL DEFAULT 1;
