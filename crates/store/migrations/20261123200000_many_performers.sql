-- One run, many performers, many screens; a practice's own protocols; rehearsals that never touch a record.

create table run_performers (
    run_id       uuid not null,
    practice_id  uuid not null,
    slot         smallint not null check (slot >= 0),
    -- Nobody on record, for a rehearsal.
    person_id    uuid,
    name         text not null,
    setup        jsonb not null,
    primary key (run_id, slot),
    foreign key (practice_id, run_id) references runs (practice_id, id),
    foreign key (practice_id, person_id) references people (practice_id, id)
);
create unique index run_performer_once on run_performers (run_id, person_id) where person_id is not null;

insert into run_performers (run_id, practice_id, slot, person_id, name, setup)
    select r.id, r.practice_id, 0, r.person_id, p.name, r.setup from runs r join people p on p.id = r.person_id;
alter table runs drop column person_id, drop column setup;

-- The simulated client of a rehearsal, hidden until its end. A run with one never gives a result.
alter table runs add column rehearsal jsonb;
-- By this a partner without an account reaches this run and nothing else, until it ends.
alter table runs add column join_code text unique;

alter table results drop constraint results_run_id_key;
create unique index result_once_a_run on results (run_id, person_id) where run_id is not null;

-- A partner's entry has no coach.
alter table run_events alter column coach_id drop not null;

create table protocols (
    practice_id  uuid not null references practices,
    id           text not null,
    body         jsonb not null,
    created_by   uuid not null,
    created_at   timestamptz not null default now(),
    primary key (practice_id, id),
    foreign key (practice_id, created_by) references coaches (practice_id, id)
);

alter table run_performers enable row level security;
create policy of_practice on run_performers using (practice_id = current_practice()) with check (practice_id = current_practice());
alter table protocols enable row level security;
create policy of_practice on protocols using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert on run_performers, protocols to impulso_app;

-- A code is looked up before the practice is known.
create function join_lookup(given text) returns table (practice_id uuid, run_id uuid)
language sql stable security definer set search_path = public as $$
    select r.practice_id, r.id from runs r where r.join_code = upper(given) and r.closed_at is null
$$;
revoke execute on function join_lookup(text) from public;
grant execute on function join_lookup(text) to impulso_app;
