-- A result can be put right. The row in results is the newest version; every version before it stays here as it was, with what was
-- done to it, by whom and why.
alter table results add column voided boolean not null default false;
create table result_versions (
    practice_id  uuid not null references practices,
    result_id    uuid not null,
    -- From 1: the result as it was first kept.
    version      int not null check (version between 1 and 1000),
    -- Made by the screen: the same correction twice is one.
    id           uuid not null,
    person_id    uuid not null,
    run_id       uuid,
    method       text not null check (char_length(method) <= 300),
    on_date      date not null check (on_date between '1850-01-01' and '2300-01-01'),
    taken_at     timestamptz not null check (taken_at between '1850-01-01' and '2300-01-01'),
    inputs       jsonb not null check (pg_column_size(inputs) <= 1048576),
    conditions   jsonb not null check (pg_column_size(conditions) <= 131072),
    facts        jsonb not null check (pg_column_size(facts) <= 131072),
    stopped      jsonb check (pg_column_size(stopped) <= 131072),
    voided       boolean not null,
    -- Measure to value, as it was shown.
    scored       jsonb not null check (pg_column_size(scored) <= 131072),
    -- What was done to it then.
    change       text not null check (char_length(change) <= 60 and change in ('corrected', 'voided', 'restored', 'moved')),
    reason       text not null check (char_length(reason) between 1 and 4000),
    created_by   uuid not null,
    created_at   timestamptz not null default now(),
    primary key (practice_id, result_id, version),
    foreign key (practice_id, result_id) references results (practice_id, id) on delete cascade,
    foreign key (practice_id, person_id) references people (practice_id, id) on delete cascade,
    foreign key (practice_id, created_by) references coaches (practice_id, id)
);
create unique index result_versions_once on result_versions (practice_id, id);
create index result_versions_of_person on result_versions (practice_id, person_id);
alter table result_versions enable row level security;
create policy of_practice on result_versions using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert on result_versions to impulso_app;
grant delete on scores to impulso_app;

-- What was stopped is no score. What was read stays with the result; the practice's own repeats are counted anew.
update practices set repeats_counted_at = null where id in (
    select r.practice_id from results r join scores s on s.practice_id = r.practice_id and s.result_id = r.id where r.stopped is not null);
delete from scores s using results r where r.practice_id = s.practice_id and r.id = s.result_id and r.stopped is not null;

-- A set-up knows last time's values too, and the client's units: they go with the client. Versions go with the person they were of.
create or replace function erase_person(person uuid) returns void
language plpgsql security definer set search_path = public as $$
declare
    practice uuid := current_practice();
    called text;
    alone uuid[];
    shared uuid[];
    things uuid[];
begin
    select p.name into called from people p where p.practice_id = practice and p.id = person for update;
    if called is null then
        raise exception 'no such person' using errcode = 'no_data_found';
    end if;
    perform set_config('impulso.erasing', 'on', true);
    -- Runs of this person alone go whole; of a class only what is theirs.
    select coalesce(array_agg(f.run_id) filter (where n.performers = 1), '{}'), coalesce(array_agg(f.run_id) filter (where n.performers > 1), '{}')
        into alone, shared
        from run_performers f
        join lateral (select count(*) as performers from run_performers o where o.practice_id = practice and o.run_id = f.run_id) n on true
        where f.practice_id = practice and f.person_id = person;
    things := array[person] || alone
        || array(select id from results where practice_id = practice and person_id = person)
        || array(select id from retest_plans where practice_id = practice and person_id = person)
        || array(select id from retests where practice_id = practice and person_id = person)
        || array(select id from readiness_checks where practice_id = practice and person_id = person)
        || array(select id from happenings where practice_id = practice and person_id = person);

    delete from retests where practice_id = practice and person_id = person;
    delete from retest_plans where practice_id = practice and person_id = person;
    delete from results where practice_id = practice and person_id = person;
    delete from readiness_checks where practice_id = practice and person_id = person;
    delete from run_events where practice_id = practice and run_id = any (alone);
    delete from run_performers where practice_id = practice and run_id = any (alone);
    delete from runs where practice_id = practice and id = any (alone);

    delete from run_events e using run_performers f
        where f.practice_id = practice and f.run_id = any (shared) and f.person_id = person
          and e.practice_id = practice and e.run_id = f.run_id and (e.body ->> 'slot')::int = f.slot;
    update run_events set body = said_without_name(body, called) where practice_id = practice and run_id = any (shared);
    update runs set overrule_reason = without_name(overrule_reason, called) where practice_id = practice and id = any (shared);
    -- The place stays, so that the others keep theirs; nothing in it says whose it was.
    update run_performers set person_id = null, name = '(erased)', setup = setup - array['sex', 'age', 'mass', 'height', 'resting_hr', 'hr_max', 'first_load', 'last_value', 'last_values', 'units']
        where practice_id = practice and run_id = any (shared) and person_id = person;

    update audit set detail = '{}', person_id = null where practice_id = practice and (person_id = person or subject_id = any (things));
    update audit set detail = said_without_name(detail, called) where practice_id = practice and subject_id = any (shared);
    delete from people where practice_id = practice and id = person;
    perform set_config('impulso.erasing', 'off', true);
end $$;
