-- An event of a live run costs few trips to the database, and a request that changes nothing writes nothing.

-- Takes a run for this transaction, whoever comes next waits, and gives what happened after a position. Two statements in
-- one call: the second sees what the one before us committed while we waited. No row where there is no such run; one row
-- without a position where nothing happened since.
create function run_take(given uuid, after bigint)
returns table (closed_at timestamptz, "position" bigint, late boolean, body jsonb)
language plpgsql volatile security invoker set search_path = public as $$
begin
    perform from runs r where r.id = given for update;
    return query
        select r.closed_at, e."position", e.late, e.body
        from runs r left join run_events e on e.run_id = r.id and e."position" > after
        where r.id = given order by e."position";
end $$;
revoke execute on function run_take(uuid, bigint) from public;
grant execute on function run_take(uuid, bigint) to impulso_app;

-- A session lives on with every request; its row is written once a minute at the most.
create function session_extend(given bytea, until timestamptz) returns void
language sql security definer set search_path = public as $$
    update sessions set expires_at = until where token_hash = given and expires_at < until - interval '1 minute'
$$;
revoke execute on function session_extend(bytea, timestamptz) from public;
grant execute on function session_extend(bytea, timestamptz) to impulso_app;
