-- Why a shot has its encoding: the tag that it was taken from, or that somebody said so. An empty encoding is one
-- that nobody has said yet.
ALTER TABLE shots ADD COLUMN encoding_reason TEXT NOT NULL DEFAULT '';
