DROP TABLE robots;
