-- The format of a table that was handed off, the range of its code values, and what its receiver has to know.
ALTER TABLE handoffs ADD COLUMN format TEXT NOT NULL DEFAULT 'cube';
ALTER TABLE handoffs ADD COLUMN code_range TEXT NOT NULL DEFAULT 'full';
ALTER TABLE handoffs ADD COLUMN says TEXT NOT NULL DEFAULT '';
