-- A body's head and tip are states of its own. Where one named a state that is gone, the body goes to its newest.
UPDATE bodies SET head = (SELECT max(r.id) FROM revisions r WHERE r.body_id = bodies.id AND NOT r.preview)
    WHERE head IS NOT NULL AND NOT EXISTS (SELECT 1 FROM revisions r WHERE r.id = bodies.head AND r.body_id = bodies.id);
UPDATE bodies SET tip = head
    WHERE tip IS NOT NULL AND NOT EXISTS (SELECT 1 FROM revisions r WHERE r.id = bodies.tip AND r.body_id = bodies.id);
ALTER TABLE revisions ADD CONSTRAINT revisions_of_body UNIQUE (id, body_id);
-- Deferred, so that a body goes with its states.
ALTER TABLE bodies
    ADD CONSTRAINT bodies_head FOREIGN KEY (head, id) REFERENCES revisions (id, body_id) DEFERRABLE INITIALLY DEFERRED,
    ADD CONSTRAINT bodies_tip FOREIGN KEY (tip, id) REFERENCES revisions (id, body_id) DEFERRABLE INITIALLY DEFERRED;
-- What pages ask for by its owner.
CREATE INDEX revisions_parent ON revisions (parent);
CREATE INDEX bodies_project ON bodies (project_id);
CREATE INDEX jobs_body ON jobs (body_id, id);
CREATE INDEX jobs_project ON jobs (project_id, id);
CREATE INDEX handovers_body ON handovers (body_id);
CREATE INDEX handovers_revision ON handovers (revision_id);
