-- A client's own link to type the results of a visit from afar: the token's hash only, until when.
create table self_links (
    practice_id   uuid not null references practices,
    id            uuid not null,
    visit_id      uuid not null,
    token_hash    bytea not null unique check (octet_length(token_hash) = 32),
    -- What differs for this person, as their group has it.
    set_up        jsonb not null check (pg_column_size(set_up) <= 20000),
    created_by    uuid not null,
    created_at    timestamptz not null default now(),
    expires_at    timestamptz not null,
    withdrawn_at  timestamptz,
    primary key (practice_id, id),
    foreign key (practice_id, visit_id) references visits (practice_id, id) on delete cascade
);
create index self_links_of_visit on self_links (practice_id, visit_id, created_at);
alter table self_links enable row level security;
create policy of_practice on self_links using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update on self_links to impulso_app;

-- What was sent by such a link, as it was typed. It is a result only once a coach has taken it in.
create table self_entries (
    practice_id   uuid not null references practices,
    id            uuid not null,
    link_id       uuid not null,
    visit_id      uuid not null,
    place         smallint not null check (place >= 0),
    on_date       date not null,
    typed         jsonb not null check (pg_column_size(typed) <= 100000),
    sent_at       timestamptz not null default now(),
    fate          text not null default 'waiting' check (char_length(fate) <= 20 and fate in ('waiting', 'taken', 'refused', 'replaced')),
    reason        text check (char_length(reason) <= 2000),
    decided_by    uuid,
    decided_at    timestamptz,
    primary key (practice_id, id),
    foreign key (practice_id, link_id) references self_links (practice_id, id) on delete cascade,
    foreign key (practice_id, visit_id) references visits (practice_id, id) on delete cascade
);
create index self_entries_of_visit on self_entries (practice_id, visit_id, sent_at);
-- Of a test of a visit one waits at the most, whatever is sent at once.
create unique index self_entries_waiting on self_entries (practice_id, visit_id, place) where fate = 'waiting';
create index self_entries_by_time on self_entries (practice_id, sent_at) where fate = 'waiting';
alter table self_entries enable row level security;
create policy of_practice on self_entries using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update on self_entries to impulso_app;

-- Whoever has the link has no account: the one way from a token to its visit, while the link holds.
create function self_link_lookup(given bytea) returns table (practice_id uuid, id uuid, visit_id uuid, set_up jsonb, created_at timestamptz, expires_at timestamptz)
language sql stable security definer set search_path = public as $$
    select l.practice_id, l.id, l.visit_id, l.set_up, l.created_at, l.expires_at from self_links l
    where l.token_hash = given and l.withdrawn_at is null and l.expires_at > now()
$$;
revoke all on function self_link_lookup(bytea) from public;
grant execute on function self_link_lookup(bytea) to impulso_app;
