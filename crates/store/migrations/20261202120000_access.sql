-- Nobody is locked out, nobody else gets in: links for a new password, a second factor, a founder who hands the practice over; and what a
-- client has agreed to.

-- A link that sets a new password, once, within an hour. The token itself is kept nowhere.
create table password_links (
    practice_id  uuid not null references practices,
    id           uuid not null,
    coach_id     uuid not null,
    token_hash   bytea not null unique check (octet_length(token_hash) = 32),
    -- The coach who made it; nobody where it was made on the machine itself.
    made_by      uuid,
    created_at   timestamptz not null default now(),
    expires_at   timestamptz not null,
    used_at      timestamptz,
    primary key (practice_id, id),
    foreign key (practice_id, coach_id) references coaches (practice_id, id)
);
alter table password_links enable row level security;
create policy of_practice on password_links using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert on password_links to impulso_app;
grant update (used_at) on password_links to impulso_app;
create function password_link_lookup(given bytea) returns table (practice_id uuid, id uuid, coach_id uuid)
language sql stable security definer set search_path = public as $$
    select l.practice_id, l.id, l.coach_id from password_links l
    join coaches c on c.practice_id = l.practice_id and c.id = l.coach_id and c.removed_at is null
    where l.token_hash = given and l.used_at is null and l.expires_at > now()
$$;
revoke all on function password_link_lookup(bytea) from public;
grant execute on function password_link_lookup(bytea) to impulso_app;

-- The second factor: the secret that a phone shares, the last step a code of it was used in, and what is left of the recovery codes.
alter table coaches add column totp_pending bytea;
alter table coaches add column totp_secret bytea;
alter table coaches add column totp_step bigint not null default 0;
alter table coaches add column recovery_hashes bytea[] not null default '{}';
grant update (totp_pending, totp_secret, totp_step, recovery_hashes, is_founder) on coaches to impulso_app;

-- What the practice asks for before anything else.
alter table practices add column second_factor_required boolean not null default false;
alter table practices add column consent_required boolean not null default false;
grant update (second_factor_required, consent_required) on practices to impulso_app;

-- What a client, or the guardian of a minor, has agreed to; the latest of a kind counts, and the earlier ones stay.
create table consents (
    practice_id  uuid not null references practices,
    id           uuid not null,
    person_id    uuid not null,
    kind         text not null check (char_length(kind) <= 20 and kind in ('testing', 'photographs')),
    agreed       boolean not null,
    on_date      date not null,
    by_name      text not null check (char_length(by_name) between 1 and 300),
    guardian     boolean not null,
    created_by   uuid not null,
    created_at   timestamptz not null default now(),
    primary key (practice_id, id),
    foreign key (practice_id, person_id) references people (practice_id, id) on delete cascade,
    foreign key (practice_id, created_by) references coaches (practice_id, id)
);
create index consents_of_person on consents (practice_id, person_id, kind, created_at desc);
alter table consents enable row level security;
create policy of_practice on consents using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert on consents to impulso_app;
