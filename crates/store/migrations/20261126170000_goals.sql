-- Where a client wants to be. A goal that was reached is kept with its day; one that is dropped is kept too, and shown no more.
create table goals (
    practice_id  uuid not null references practices,
    id           uuid not null,
    person_id    uuid not null,
    goal         jsonb not null,
    created_by   uuid not null,
    created_at   timestamptz not null default now(),
    dropped_at   timestamptz,
    primary key (practice_id, id),
    foreign key (practice_id, person_id) references people (practice_id, id) on delete cascade
);
create index goals_of_person on goals (practice_id, person_id, created_at);
alter table goals enable row level security;
create policy of_practice on goals using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update on goals to impulso_app;
