-- Photographs of a client: one a view and day, as the server wrote them anew. They leave with the person.
create table photos (
    practice_id  uuid not null references practices,
    id           uuid not null,
    person_id    uuid not null,
    on_date      date not null,
    view         text not null check (view in ('front', 'left', 'back', 'right')),
    jpeg         bytea not null check (octet_length(jpeg) between 1 and 4000000),
    width        integer not null,
    height       integer not null,
    taken_by     uuid not null,
    created_at   timestamptz not null default now(),
    primary key (practice_id, id),
    unique (practice_id, person_id, on_date, view),
    foreign key (practice_id, person_id) references people (practice_id, id) on delete cascade
);
alter table photos enable row level security;
create policy of_practice on photos using (practice_id = current_practice()) with check (practice_id = current_practice());
grant select, insert, update, delete on photos to impulso_app;

-- A client's link shows photographs only where the coach said so.
alter table visit_links add column photos boolean not null default false;
drop function visit_link_lookup(bytea);
create function visit_link_lookup(given bytea)
returns table (practice_id uuid, visit_id uuid, places jsonb, photos boolean, expires_at timestamptz)
language sql stable security definer set search_path = public as $$
    select l.practice_id, l.visit_id, l.places, l.photos, l.expires_at from visit_links l
    where l.token_hash = given and l.withdrawn_at is null and l.expires_at > now()
$$;
revoke all on function visit_link_lookup(bytea) from public;
grant execute on function visit_link_lookup(bytea) to impulso_app;
