-- A practice's scoring tables for a battery, each with its version and its day. Raw scores are what is kept: points are worked
-- out from them. A table may be applied to the past too, and that is taken back by clearing the mark.
create table scoring_tables (
    practice_id  uuid not null references practices,
    battery_id   text not null,
    version      integer not null check (version > 0),
    body         jsonb not null,
    for_past     boolean not null default false,
    created_by   uuid not null,
    created_at   timestamptz not null default now(),
    primary key (practice_id, battery_id, version)
);
alter table scoring_tables enable row level security;
create policy of_practice on scoring_tables using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update (for_past) on scoring_tables to impulso_app;
