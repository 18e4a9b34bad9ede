-- The encoding that nearly all files have that say as little as a shot's own do: to be confirmed.
ALTER TABLE shots ADD COLUMN proposed TEXT NOT NULL DEFAULT '';
UPDATE shots SET proposed = 'srgb' WHERE encoding = '' AND encoding_reason LIKE 'JPEG without an ICC profile%';
