ALTER TABLE shots DROP COLUMN encoding_reason;
