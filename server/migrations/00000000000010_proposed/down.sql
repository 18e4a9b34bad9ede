ALTER TABLE shots DROP COLUMN proposed;
