-- A client's own link to what a visit taught: the token's hash only, what the coach chose to show, until when.
create table visit_links (
    practice_id   uuid not null references practices,
    id            uuid not null,
    visit_id      uuid not null,
    token_hash    bytea not null unique check (octet_length(token_hash) = 32),
    places        jsonb not null,
    created_by    uuid not null,
    created_at    timestamptz not null default now(),
    expires_at    timestamptz not null,
    withdrawn_at  timestamptz,
    primary key (practice_id, id),
    foreign key (practice_id, visit_id) references visits (practice_id, id) on delete cascade
);
create index visit_links_of_visit on visit_links (practice_id, visit_id, created_at);
alter table visit_links enable row level security;
create policy of_practice on visit_links using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update on visit_links to impulso_app;

-- Whoever has the link has no account: the one way from a token to its visit, while the link holds.
create function visit_link_lookup(given bytea) returns table (practice_id uuid, visit_id uuid, places jsonb, expires_at timestamptz)
language sql stable security definer set search_path = public as $$
    select l.practice_id, l.visit_id, l.places, l.expires_at from visit_links l
    where l.token_hash = given and l.withdrawn_at is null and l.expires_at > now()
$$;
revoke all on function visit_link_lookup(bytea) from public;
grant execute on function visit_link_lookup(bytea) to impulso_app;
