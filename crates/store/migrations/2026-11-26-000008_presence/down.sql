DROP TABLE absences;
DROP TABLE presence;
