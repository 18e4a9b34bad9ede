-- Seconds since 1970 when it was deleted; none for what is there. What was deleted can be put back for a while.
ALTER TABLE productions ADD COLUMN deleted_at BIGINT;
ALTER TABLE scenes ADD COLUMN deleted_at BIGINT;
ALTER TABLE shots ADD COLUMN deleted_at BIGINT;
ALTER TABLE looks ADD COLUMN deleted_at BIGINT;
