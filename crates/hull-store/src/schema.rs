//! The tables as Diesel sees them; `migrations/` makes them.

diesel::table! {
    projects (id) {
        id -> Int4,
        name -> Text,
        created_at -> Timestamptz,
        deleted_at -> Nullable<Timestamptz>,
        shelf -> Bool,
    }
}

diesel::table! {
    chunks (hash) {
        hash -> Bytea,
        data -> Bytea,
        used_at -> Timestamptz,
    }
}

diesel::table! {
    bodies (id) {
        id -> Int4,
        project_id -> Int4,
        name -> Text,
        destination -> Text,
        head -> Nullable<Int4>,
        tip -> Nullable<Int4>,
        destination_version -> Int4,
        created_at -> Timestamptz,
        deleted_at -> Nullable<Timestamptz>,
        grouped -> Text,
        hidden -> Bool,
    }
}

diesel::table! {
    revisions (id) {
        id -> Int4,
        body_id -> Int4,
        parent -> Nullable<Int4>,
        step -> Nullable<Jsonb>,
        change -> Jsonb,
        facts -> Jsonb,
        survey -> Jsonb,
        blobs -> Jsonb,
        picture -> Bytea,
        preview -> Bool,
        created_at -> Timestamptz,
    }
}

diesel::table! {
    jobs (id) {
        id -> Int4,
        kind -> Text,
        payload -> Jsonb,
        project_id -> Int4,
        body_id -> Nullable<Int4>,
        state -> Text,
        fraction -> Float8,
        phrase -> Text,
        worker -> Nullable<Text>,
        lease_until -> Nullable<Timestamptz>,
        attempts -> Int4,
        cancel -> Bool,
        result -> Nullable<Jsonb>,
        error -> Nullable<Text>,
        created_at -> Timestamptz,
        begun_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    destinations (name, version) {
        name -> Text,
        version -> Int4,
        shipped -> Bool,
        content -> Jsonb,
        created_at -> Timestamptz,
    }
}

diesel::table! {
    handovers (id) {
        id -> Int4,
        body_id -> Int4,
        revision_id -> Int4,
        name -> Text,
        manifest -> Jsonb,
        zip -> Jsonb,
        created_at -> Timestamptz,
        deleted_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    robots (project_id) {
        project_id -> Int4,
        plan -> Jsonb,
    }
}

diesel::joinable!(bodies -> projects (project_id));
diesel::allow_tables_to_appear_in_same_query!(
    projects,
    chunks,
    bodies,
    revisions,
    jobs,
    handovers,
    destinations,
    robots
);
