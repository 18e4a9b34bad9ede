ALTER TABLE handoffs DROP COLUMN format;
ALTER TABLE handoffs DROP COLUMN code_range;
ALTER TABLE handoffs DROP COLUMN says;
