-- A project's robot, as it is composed of its bodies.
CREATE TABLE robots (
    project_id int PRIMARY KEY REFERENCES projects (id) ON DELETE CASCADE,
    plan jsonb NOT NULL
);
