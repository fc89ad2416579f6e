DROP INDEX revisions_parent, bodies_project, jobs_body, jobs_project, handovers_body, handovers_revision;
ALTER TABLE bodies DROP CONSTRAINT bodies_head, DROP CONSTRAINT bodies_tip;
ALTER TABLE revisions DROP CONSTRAINT revisions_of_body;
