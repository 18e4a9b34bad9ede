ALTER TABLE shots DROP COLUMN arrival;
ALTER TABLE shots DROP COLUMN revision;
ALTER TABLE profiles DROP COLUMN revision;
