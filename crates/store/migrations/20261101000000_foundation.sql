-- The foundation: practices and everything that belongs to them.
--
-- Three rules hold for every table here and for every one that follows:
--   1. A row belongs to one practice, and row-level security shows and takes only rows of the practice named in the
--      setting `impulso.practice_id`, which the application sets for each transaction. The application's role does not
--      own the tables and cannot bypass this.
--   2. A reference between rows carries the practice, so that no row can point into another practice: foreign keys are
--      checked without row-level security, a lone id would let one through.
--   3. What happened is only ever added to: events and the audit refuse update and delete.
--
-- Signing in happens before the practice is known. It goes through the few functions at the end, which run as the
-- owner and answer exactly one question each.

create extension if not exists pg_trgm;

create function current_practice() returns uuid language sql stable
    return nullif(current_setting('impulso.practice_id', true), '')::uuid;

create table practices (
    id          uuid primary key,
    name        text not null check (name <> ''),
    time_zone   text not null,
    is_demo     boolean not null default false,
    created_at  timestamptz not null default now()
);

create table coaches (
    id             uuid primary key,
    practice_id    uuid not null references practices,
    name           text not null check (name <> ''),
    email          text not null unique check (email = lower(email)),
    password_hash  text not null,
    created_at     timestamptz not null default now(),
    unique (practice_id, id)
);

create table people (
    id                  uuid primary key,
    practice_id         uuid not null references practices,
    name                text not null check (char_length(name) between 1 and 120),
    name_key            text not null,
    born                date not null,
    sex                 text check (sex in ('male', 'female')),
    units               text not null check (units in ('metric', 'imperial')),
    height_cm           double precision check (height_cm between 80 and 260),
    height_typed        text,
    mass_kg             double precision check (mass_kg between 15 and 400),
    mass_typed          text,
    occupation          text,
    goal                text,
    medicines           text,
    rate_limiting_drug  boolean not null default false,
    notes               text,
    created_at          timestamptz not null default now(),
    updated_at          timestamptz not null default now(),
    version             integer not null default 1,
    unique (practice_id, id)
);
create index people_by_name on people (practice_id, name_key, id);
create index people_by_part on people using gin (name_key gin_trgm_ops);

create table readiness_checks (
    id              uuid primary key,
    practice_id     uuid not null,
    person_id       uuid not null,
    answers         jsonb not null,
    advice          jsonb not null,
    overrule_reason text,
    on_date         date not null,
    created_by      uuid not null,
    created_at      timestamptz not null default now(),
    unique (practice_id, id),
    foreign key (practice_id, person_id) references people (practice_id, id),
    foreign key (practice_id, created_by) references coaches (practice_id, id)
);
create index readiness_latest on readiness_checks (practice_id, person_id, created_at desc);

create table runs (
    id               uuid primary key,
    practice_id      uuid not null,
    person_id        uuid not null,
    protocol_id      text not null,
    -- The protocol as it was on the day: a later catalogue must not change what was done.
    protocol         jsonb not null,
    setup            jsonb not null,
    -- Why the coach went on although another test would have suited better.
    overrule_reason  text,
    created_by       uuid not null,
    created_at       timestamptz not null default now(),
    closed_at        timestamptz,
    unique (practice_id, id),
    foreign key (practice_id, person_id) references people (practice_id, id),
    foreign key (practice_id, created_by) references coaches (practice_id, id)
);
create index runs_open on runs (practice_id, created_at desc) where closed_at is null;

create table run_events (
    id           uuid primary key,
    practice_id  uuid not null,
    run_id       uuid not null,
    position     bigint generated always as identity,
    device       uuid not null,
    seq          integer not null check (seq > 0),
    mono_ms      double precision not null,
    wall         timestamptz not null,
    body         jsonb not null,
    -- Arrived after the run was closed: kept for the record, without effect on the result.
    late         boolean not null default false,
    coach_id     uuid not null,
    received_at  timestamptz not null default now(),
    unique (run_id, device, seq),
    foreign key (practice_id, run_id) references runs (practice_id, id),
    foreign key (practice_id, coach_id) references coaches (practice_id, id)
);
create index run_events_in_order on run_events (run_id, position);

create table results (
    id           uuid primary key,
    practice_id  uuid not null,
    person_id    uuid not null,
    run_id       uuid unique,
    protocol_id  text not null,
    method       text not null,
    on_date      date not null,
    taken_at     timestamptz not null,
    -- Raw is the truth.
    inputs       jsonb not null,
    conditions   jsonb not null,
    facts        jsonb not null,
    stopped      jsonb,
    -- Computed is a cache: quantity to value.
    computed     jsonb not null,
    created_by   uuid not null,
    created_at   timestamptz not null default now(),
    unique (practice_id, id),
    foreign key (practice_id, person_id) references people (practice_id, id),
    foreign key (practice_id, run_id) references runs (practice_id, id),
    foreign key (practice_id, created_by) references coaches (practice_id, id)
);
create index results_of_person on results (practice_id, person_id, protocol_id, taken_at);
create index results_of_protocol on results (practice_id, protocol_id, person_id, on_date);

create table retest_plans (
    id           uuid primary key,
    practice_id  uuid not null,
    person_id    uuid not null,
    protocol_id  text not null,
    rule         jsonb not null,
    from_on      date not null,
    created_by   uuid not null,
    created_at   timestamptz not null default now(),
    ended_at     timestamptz,
    unique (practice_id, id),
    foreign key (practice_id, person_id) references people (practice_id, id),
    foreign key (practice_id, created_by) references coaches (practice_id, id)
);
-- One standing plan for a person's test: keeping a new one ends the old.
create unique index retest_plan_standing on retest_plans (practice_id, person_id, protocol_id) where ended_at is null;

create table retests (
    id             uuid primary key,
    practice_id    uuid not null,
    plan_id        uuid not null,
    person_id      uuid not null,
    protocol_id    text not null,
    due_on         date not null,
    done_on        date,
    result_id      uuid,
    skip_reason    text,
    unique (practice_id, id),
    unique (plan_id, due_on),
    foreign key (practice_id, plan_id) references retest_plans (practice_id, id),
    foreign key (practice_id, person_id) references people (practice_id, id),
    foreign key (practice_id, result_id) references results (practice_id, id)
);
create index retests_by_date on retests (practice_id, due_on);
create index retests_of_person on retests (practice_id, person_id, protocol_id, due_on);

create table audit (
    id            uuid primary key,
    practice_id   uuid not null references practices,
    coach_id      uuid,
    at            timestamptz not null default now(),
    action        text not null,
    subject_kind  text not null,
    subject_id    uuid not null,
    detail        jsonb not null default '{}'
);
create index audit_by_time on audit (practice_id, at desc);

-- Sessions are looked up before the practice is known; the application reaches them through functions only.
create table sessions (
    token_hash  bytea primary key,
    state       jsonb not null,
    expires_at  timestamptz not null
);

-- Rule 3.
create function refuse_change() returns trigger language plpgsql as $$
begin
    raise exception '% is only ever added to', tg_table_name using errcode = 'restrict_violation';
end $$;
create trigger run_events_append_only before update or delete on run_events for each row execute function refuse_change();
create trigger run_events_no_truncate before truncate on run_events execute function refuse_change();
create trigger audit_append_only before update or delete on audit for each row execute function refuse_change();
create trigger audit_no_truncate before truncate on audit execute function refuse_change();

-- Rule 1.
do $$
declare
    owned text;
begin
    foreach owned in array array['coaches', 'people', 'readiness_checks', 'runs', 'run_events', 'results', 'retest_plans', 'retests', 'audit'] loop
        execute format('alter table %I enable row level security', owned);
        execute format('create policy of_practice on %I using (practice_id = current_practice()) with check (practice_id = current_practice())', owned);
    end loop;
end $$;
alter table practices enable row level security;
create policy of_practice on practices using (id = current_practice()) with check (id = current_practice());

grant usage on schema public to impulso_app;
grant select, update (name, time_zone) on practices to impulso_app;
grant select, insert on coaches, readiness_checks, run_events, audit to impulso_app;
grant select, insert, update on people, runs, results, retest_plans, retests to impulso_app;

-- Signing in.
create function sign_in_lookup(given text) returns table (coach_id uuid, practice_id uuid, password_hash text)
language sql stable security definer set search_path = public as $$
    select c.id, c.practice_id, c.password_hash from coaches c where c.email = lower(given)
$$;

create function found_practice(practice uuid, practice_name text, zone text, demo boolean, coach uuid, coach_name text, coach_email text, hash text) returns void
language plpgsql security definer set search_path = public as $$
begin
    insert into practices (id, name, time_zone, is_demo) values (practice, practice_name, zone, demo);
    insert into coaches (id, practice_id, name, email, password_hash) values (coach, practice, coach_name, lower(coach_email), hash);
end $$;

create function demo_email() returns text
language sql stable security definer set search_path = public as $$
    select c.email from coaches c join practices p on p.id = c.practice_id where p.is_demo order by c.created_at, c.id limit 1
$$;

create function session_load(given bytea) returns jsonb
language sql stable security definer set search_path = public as $$
    select state from sessions where token_hash = given and expires_at > now()
$$;

create function session_save(given bytea, new_state jsonb, until timestamptz) returns void
language sql security definer set search_path = public as $$
    insert into sessions (token_hash, state, expires_at) values (given, new_state, until)
    on conflict (token_hash) do update set state = excluded.state, expires_at = excluded.expires_at
$$;

create function session_delete(given bytea) returns void
language sql security definer set search_path = public as $$
    delete from sessions where token_hash = given or expires_at <= now()
$$;

revoke execute on function sign_in_lookup(text), found_practice(uuid, text, text, boolean, uuid, text, text, text), demo_email(),
    session_load(bytea), session_save(bytea, jsonb, timestamptz), session_delete(bytea) from public;
grant execute on function sign_in_lookup(text), found_practice(uuid, text, text, boolean, uuid, text, text, text), demo_email(),
    session_load(bytea), session_save(bytea, jsonb, timestamptz), session_delete(bytea) to impulso_app;
