DROP TABLE handovers, jobs, revisions, bodies, chunks, projects;
