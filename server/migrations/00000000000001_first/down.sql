DROP TABLE handoffs;
DROP TABLE look_versions;
DROP TABLE looks;
DROP TABLE shots;
DROP TABLE media;
DROP TABLE scenes;
DROP TABLE productions;
