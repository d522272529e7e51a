-- What was remarked while a test was done stands with its result, also where it was typed from paper; a client's link shows it only
-- where the coach said so.

alter table results add column remarks jsonb not null default '[]' check (pg_column_size(remarks) <= 131072);
alter table result_versions add column remarks jsonb not null default '[]' check (pg_column_size(remarks) <= 131072);
alter table visit_links add column remarks boolean not null default false;

drop function visit_link_lookup(bytea);
create function visit_link_lookup(given bytea)
returns table (practice_id uuid, visit_id uuid, places jsonb, photos boolean, remarks boolean, expires_at timestamptz)
language sql stable security definer set search_path = public as $$
    select l.practice_id, l.visit_id, l.places, l.photos, l.remarks, l.expires_at from visit_links l
    where l.token_hash = given and l.withdrawn_at is null and l.expires_at > now()
$$;
revoke all on function visit_link_lookup(bytea) from public;
grant execute on function visit_link_lookup(bytea) to impulso_app;
