-- How much a measure wobbles, where a practice knows it from elsewhere: a figure and who says so.
create table typed_errors (
    practice_id  uuid not null references practices,
    protocol_id  text not null,
    quantity     text not null,
    value        double precision not null check (value > 0),
    source       text not null,
    primary key (practice_id, protocol_id, quantity)
);
alter table typed_errors enable row level security;
create policy of_practice on typed_errors using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update, delete on typed_errors to impulso_app;

-- What happened in a client's life that may stand behind a number: an illness, a break, a new job.
create table happenings (
    practice_id  uuid not null references practices,
    id           uuid not null,
    person_id    uuid not null,
    kind         text not null,
    from_on      date not null,
    until_on     date check (until_on >= from_on),
    words        text,
    primary key (practice_id, id),
    foreign key (practice_id, person_id) references people (practice_id, id) on delete cascade
);
create index happenings_of_person on happenings (practice_id, person_id, from_on);
alter table happenings enable row level security;
create policy of_practice on happenings using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update, delete on happenings to impulso_app;

-- A set-up knows the height too, and a client has happenings: both go with the client.
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
    update run_performers set person_id = null, name = '(erased)', setup = setup - array['sex', 'age', 'mass', 'height', 'resting_hr', 'hr_max', 'first_load', 'last_value']
        where practice_id = practice and run_id = any (shared) and person_id = person;

    update audit set detail = '{}', person_id = null where practice_id = practice and (person_id = person or subject_id = any (things));
    update audit set detail = said_without_name(detail, called) where practice_id = practice and subject_id = any (shared);
    delete from people where practice_id = practice and id = person;
    perform set_config('impulso.erasing', 'off', true);
end $$;
