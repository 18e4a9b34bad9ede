DROP TABLE packages;
DROP TABLE plans;
