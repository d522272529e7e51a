-- Who a session says is asking, in one trip: the session lives on with it, and its row is written once a minute at the most.
create function session_look(given bytea, until timestamptz) returns jsonb
language plpgsql volatile security definer set search_path = public as $$
declare
    kept jsonb;
begin
    select s.state into kept from sessions s where s.token_hash = given and s.expires_at > now();
    if kept is not null then
        perform session_extend(given, until);
    end if;
    return kept;
end $$;
revoke execute on function session_look(bytea, timestamptz) from public;
grant execute on function session_look(bytea, timestamptz) to impulso_app;
