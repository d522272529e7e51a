-- A group visit: the battery of a group on one day. Everybody who is here has a visit of their own, as if they were alone.

create table group_visits (
    practice_id uuid not null references practices,
    id          uuid not null,
    group_id    uuid not null,
    battery_id  text not null check (char_length(battery_id) >= 1 and char_length(battery_id) <= 80),
    battery     jsonb not null check (pg_column_size(battery) <= 131072),
    conditions  jsonb not null check (pg_column_size(conditions) <= 131072),
    on_date     date not null check (on_date between '1850-01-01' and '2300-01-01'),
    closed_at   timestamptz,
    created_by  uuid not null,
    created_at  timestamptz not null default now(),
    primary key (practice_id, id),
    foreign key (practice_id, group_id) references groups (practice_id, id)
);
create index group_visits_of_group on group_visits (practice_id, group_id, created_at desc);
create index group_visits_open on group_visits (practice_id, created_at desc) where closed_at is null;
alter table group_visits enable row level security;
create policy of_practice on group_visits using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update, delete on group_visits to impulso_app;

-- The roll: who was called, what became of them, and the visit that is theirs; of an absent one the visit that made it up.
create table group_visit_people (
    practice_id    uuid not null references practices,
    group_visit_id uuid not null,
    person_id      uuid not null,
    presence       text not null check (char_length(presence) <= 20 and presence in ('here', 'absent', 'not_testing')),
    reason         text check (char_length(reason) >= 1 and char_length(reason) <= 4000),
    heat           smallint check (heat between 1 and 200),
    visit_id       uuid,
    primary key (practice_id, group_visit_id, person_id),
    foreign key (practice_id, group_visit_id) references group_visits (practice_id, id) on delete cascade,
    foreign key (practice_id, person_id) references people (practice_id, id) on delete cascade
);
create index group_visit_people_of_person on group_visit_people (practice_id, person_id);
create index group_visit_people_of_visit on group_visit_people (practice_id, visit_id) where visit_id is not null;
alter table group_visit_people enable row level security;
create policy of_practice on group_visit_people using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update, delete on group_visit_people to impulso_app;

-- What differs for a member in every group visit: on the knees, a lighter ball.
alter table group_members add column set_up jsonb not null default '{}' check (pg_column_size(set_up) <= 131072);

-- A run of many belongs to a group visit, and each of its performers to a place in a visit of their own.
alter table runs add column group_visit_id uuid;
create index runs_of_group_visit on runs (practice_id, group_visit_id) where group_visit_id is not null;
alter table run_performers add column visit_id uuid, add column visit_place smallint;

-- Who was called by mistake has no visit: one in which nothing has happened goes.
grant delete on visits to impulso_app;
