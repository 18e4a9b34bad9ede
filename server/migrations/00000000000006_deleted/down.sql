ALTER TABLE productions DROP COLUMN deleted_at;
ALTER TABLE scenes DROP COLUMN deleted_at;
ALTER TABLE shots DROP COLUMN deleted_at;
ALTER TABLE looks DROP COLUMN deleted_at;
