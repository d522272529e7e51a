-- A visit: the tests of a battery, for one person on one day. The battery is kept as it was on the day; what happened is a list
-- of events, as in a run.
create table visits (
    practice_id  uuid not null references practices,
    id           uuid not null,
    person_id    uuid not null,
    battery_id   text not null,
    battery      jsonb not null,
    conditions   jsonb not null,
    on_date      date not null,
    created_by   uuid not null,
    created_at   timestamptz not null default now(),
    closed_at    timestamptz,
    primary key (practice_id, id),
    foreign key (practice_id, person_id) references people (practice_id, id) on delete cascade
);
create index visits_of_person on visits (practice_id, person_id, created_at);
create index visits_open on visits (practice_id, created_at) where closed_at is null;
alter table visits enable row level security;
create policy of_practice on visits using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update on visits to impulso_app;

create table visit_events (
    practice_id  uuid not null references practices,
    visit_id     uuid not null,
    id           uuid not null,
    position     bigint generated always as identity,
    body         jsonb not null,
    at           timestamptz not null default now(),
    primary key (practice_id, id),
    foreign key (practice_id, visit_id) references visits (practice_id, id) on delete cascade
);
create index visit_events_in_order on visit_events (practice_id, visit_id, position);
alter table visit_events enable row level security;
create policy of_practice on visit_events using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert on visit_events to impulso_app;

-- A run knows its visit, and which place of the battery it fills.
alter table runs add column visit_id uuid, add column visit_place smallint;
alter table runs add foreign key (practice_id, visit_id) references visits (practice_id, id) on delete set null (visit_id);

-- A practice's own batteries; one that is retired stays for the visits that were done with it.
create table batteries (
    practice_id  uuid not null references practices,
    id           text not null,
    battery      jsonb not null,
    retired      boolean not null default false,
    created_by   uuid not null,
    created_at   timestamptz not null default now(),
    primary key (practice_id, id)
);
alter table batteries enable row level security;
create policy of_practice on batteries using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update on batteries to impulso_app;
