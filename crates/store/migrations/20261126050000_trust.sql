-- What an attack found, mended in the data: keys that say nothing of another practice, sessions that end with their coach,
-- figures that are kept where results are written, and a person who can be erased.

-- A key made by a screen is unique within its practice. Another practice's key is not even a key here: it cannot be taken,
-- and asking for it tells nothing.
alter table people drop constraint people_pkey;
alter table runs drop constraint runs_pkey;
alter table results drop constraint results_pkey;
alter table run_events drop constraint run_events_pkey;
alter table run_events add constraint run_events_pkey primary key (practice_id, id);
alter table run_events drop constraint run_events_run_id_device_seq_key;
alter table run_events add constraint run_events_in_sequence unique (practice_id, run_id, device, seq);
alter table run_performers drop constraint run_performers_pkey;
alter table run_performers add constraint run_performers_pkey primary key (practice_id, run_id, slot);
drop index run_performer_once;
create unique index run_performer_once on run_performers (practice_id, run_id, person_id) where person_id is not null;
drop index result_once_a_run;
create unique index result_once_a_run on results (practice_id, run_id, person_id) where run_id is not null;
create index runs_of_person on run_performers (practice_id, person_id) where person_id is not null;

-- Which partner's phone sent an event: the hash of what its browser holds. Nothing for a coach's screen.
alter table run_events add column partner bytea;
drop function run_take(uuid, bigint);
create function run_take(given uuid, after bigint)
returns table (closed_at timestamptz, "position" bigint, late boolean, partner bytea, body jsonb)
language plpgsql volatile security invoker set search_path = public as $$
begin
    perform from runs r where r.id = given for update;
    return query
        select r.closed_at, e."position", e.late, e.partner, e.body
        from runs r left join run_events e on e.practice_id = r.practice_id and e.run_id = r.id and e."position" > after
        where r.id = given order by e."position";
end $$;
revoke execute on function run_take(uuid, bigint) from public;
grant execute on function run_take(uuid, bigint) to impulso_app;

-- Coaches leave; what they did stays under their name, and their address is free again.
alter table coaches add column is_founder boolean not null default false;
alter table coaches add column removed_at timestamptz;
update coaches c set is_founder = true
    where c.id = (select f.id from coaches f where f.practice_id = c.practice_id order by f.created_at, f.id limit 1);
alter table coaches drop constraint coaches_email_key;
create unique index coaches_email_key on coaches (email) where removed_at is null;
grant update (password_hash, removed_at) on coaches to impulso_app;

create or replace function sign_in_lookup(given text) returns table (coach_id uuid, practice_id uuid, password_hash text)
language sql stable security definer set search_path = public as $$
    select c.id, c.practice_id, c.password_hash from coaches c where c.email = lower(given) and c.removed_at is null
$$;
create or replace function found_practice(practice uuid, practice_name text, zone text, demo boolean, coach uuid, coach_name text, coach_email text, hash text) returns void
language plpgsql security definer set search_path = public as $$
begin
    insert into practices (id, name, time_zone, is_demo) values (practice, practice_name, zone, demo);
    insert into coaches (id, practice_id, name, email, password_hash, is_founder) values (coach, practice, coach_name, lower(coach_email), hash, true);
end $$;

-- A session knows its coach and has a name of its own that is no secret, so that it can be ended from elsewhere, and every process hears of it.
alter table sessions add column coach_id uuid;
alter table sessions add column sid uuid;
update sessions set coach_id = nullif(trim(both '"' from state ->> 'coach'), '')::uuid;
create index sessions_of_coach on sessions (coach_id);
create index sessions_by_end on sessions (expires_at);
create or replace function session_save(given bytea, new_state jsonb, until timestamptz) returns void
language sql security definer set search_path = public as $$
    insert into sessions (token_hash, state, expires_at, coach_id, sid)
    values (given, new_state, until, nullif(trim(both '"' from new_state ->> 'coach'), '')::uuid, nullif(trim(both '"' from new_state ->> 'sid'), '')::uuid)
    on conflict (token_hash) do update set state = excluded.state, expires_at = excluded.expires_at, coach_id = excluded.coach_id, sid = excluded.sid
$$;
create or replace function session_delete(given bytea) returns void
language sql security definer set search_path = public as $$
    with ended as (delete from sessions where token_hash = given or expires_at <= now() returning sid)
    select pg_notify('impulso_session', sid::text) from ended where sid is not null;
$$;
-- Ends every session of a coach but the one named; all of them where none is.
create function sessions_end(coach uuid, but_not uuid) returns void
language sql security definer set search_path = public as $$
    with ended as (delete from sessions where coach_id = coach and sid is distinct from but_not returning sid)
    select pg_notify('impulso_session', sid::text) from ended where sid is not null;
$$;
revoke execute on function sessions_end(uuid, uuid) from public;
grant execute on function sessions_end(uuid, uuid) to impulso_app;

-- A practice's own repeats of each measure, kept where results are written: a page costs the same however many there are.
create table repeats (
    practice_id     uuid not null references practices,
    protocol_id     text not null,
    quantity        text not null,
    pairs           bigint not null,
    sum             double precision not null,
    sum_of_squares  double precision not null,
    primary key (practice_id, protocol_id, quantity)
);
alter table repeats enable row level security;
create policy of_practice on repeats using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update, delete on repeats to impulso_app;
-- Whether they were counted from the results that stood before this table did.
alter table practices add column repeats_counted_at timestamptz;
grant update (repeats_counted_at) on practices to impulso_app;
drop index results_of_protocol;

-- How many people a practice has, without counting them at every look.
alter table practices add column people bigint not null default 0;
update practices p set people = (select count(*) from people x where x.practice_id = p.id);
create function count_people() returns trigger language plpgsql security definer set search_path = public as $$
begin
    if tg_op = 'INSERT' then
        update practices set people = people + 1 where id = new.practice_id;
    else
        update practices set people = people - 1 where id = old.practice_id;
    end if;
    return null;
end $$;
create trigger people_counted after insert or delete on people for each row execute function count_people();

-- Dates of a rule that another has taken the place of are not owed any more: they go, so that what is open is open.
delete from retests t using retest_plans n
    where n.practice_id = t.practice_id and n.id = t.plan_id and n.ended_at is not null and t.done_on is null and t.skip_reason is null;
grant delete on retests to impulso_app;
create index retests_open on retests (practice_id, due_on, id) where done_on is null and skip_reason is null;
create index retests_settled on retests (practice_id, due_on, id) where done_on is not null or skip_reason is not null;
create index results_stopped on results (practice_id, on_date, taken_at) where stopped is not null;
create index results_by_day on results (practice_id, taken_at);

-- A name is found by the beginning of any of its words: each word with all that follows it, in an order an index can search.
create table people_words (
    practice_id  uuid not null,
    words        text collate "C" not null,
    person_id    uuid not null,
    primary key (practice_id, words, person_id),
    foreign key (practice_id, person_id) references people (practice_id, id) on delete cascade
);
alter table people_words enable row level security;
create policy of_practice on people_words using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select on people_words to impulso_app;
create function words_of(name_key text) returns setof text language sql immutable as $$
    select distinct array_to_string(w[k:], ' ') from string_to_array(name_key, ' ') w, generate_subscripts(w, 1) k
$$;
create function keep_words() returns trigger language plpgsql security definer set search_path = public as $$
begin
    delete from people_words where practice_id = new.practice_id and person_id = new.id;
    insert into people_words (practice_id, words, person_id) select new.practice_id, words_of(new.name_key), new.id;
    return null;
end $$;
create trigger people_worded after insert or update of name_key on people for each row execute function keep_words();
insert into people_words (practice_id, words, person_id) select practice_id, words_of(name_key), id from people;
create index people_words_of on people_words (practice_id, person_id);
drop index people_by_part;

-- Who did what to whom: the client stands beside the thing.
alter table audit add column person_id uuid;
alter table audit disable trigger audit_append_only;
update audit a set person_id = a.subject_id where a.subject_kind = 'person';
update audit a set person_id = r.person_id from results r where a.subject_kind = 'result' and r.practice_id = a.practice_id and r.id = a.subject_id;
update audit a set person_id = t.person_id from retests t where a.subject_kind = 'retest' and t.practice_id = a.practice_id and t.id = a.subject_id;
update audit a set person_id = n.person_id from retest_plans n where a.subject_kind = 'plan' and n.practice_id = a.practice_id and n.id = a.subject_id;
update audit a set person_id = c.person_id from readiness_checks c where a.subject_kind = 'readiness' and c.practice_id = a.practice_id and c.id = a.subject_id;
update audit a set person_id = f.person_id from run_performers f
    where a.subject_kind = 'run' and f.practice_id = a.practice_id and f.run_id = a.subject_id
      and not exists (select from run_performers o where o.practice_id = f.practice_id and o.run_id = f.run_id and o.slot <> f.slot);
alter table audit enable trigger audit_append_only;
create index audit_of_person on audit (practice_id, person_id, at desc) where person_id is not null;
create index audit_of_coach on audit (practice_id, coach_id, at desc);

-- Erasing a person. The application cannot delete events or change the audit; this can, for one person of the practice
-- that asks, and nothing else.
create or replace function refuse_change() returns trigger language plpgsql as $$
begin
    if current_setting('impulso.erasing', true) = 'on' and current_user <> 'impulso_app' then
        return coalesce(new, old);
    end if;
    raise exception '% is only ever added to', tg_table_name using errcode = 'restrict_violation';
end $$;

-- A text without a name: every word of it, wherever it stands and however it is written.
create function without_name(given text, called text) returns text language sql immutable as $$
    select coalesce(regexp_replace(given, '\m(' || (
        select string_agg(regexp_replace(word, '([^[:alnum:]])', '\\\1', 'g'), '|' order by length(word) desc)
        from regexp_split_to_table(called, '\s+') word where char_length(word) > 1) || ')\M', '…', 'gi'), given)
$$;
-- The same for what people typed into an event or an audit line.
create function said_without_name(body jsonb, called text) returns jsonb language sql immutable as $$
    select coalesce(jsonb_object_agg(key, case when key in ('text', 'note', 'reason', 'overrule_reason') and jsonb_typeof(value) = 'string'
        then to_jsonb(without_name(value #>> '{}', called)) else value end), '{}') from jsonb_each(body)
$$;

create function erase_person(person uuid) returns void
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
        || array(select id from readiness_checks where practice_id = practice and person_id = person);

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
    update run_performers set person_id = null, name = '(erased)', setup = setup - array['sex', 'age', 'mass', 'resting_hr', 'hr_max', 'first_load', 'last_value']
        where practice_id = practice and run_id = any (shared) and person_id = person;

    update audit set detail = '{}', person_id = null where practice_id = practice and (person_id = person or subject_id = any (things));
    update audit set detail = said_without_name(detail, called) where practice_id = practice and subject_id = any (shared);
    delete from people where practice_id = practice and id = person;
    perform set_config('impulso.erasing', 'off', true);
end $$;
revoke execute on function erase_person(uuid) from public;
grant execute on function erase_person(uuid) to impulso_app;
