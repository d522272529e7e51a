-- Events of a run in one trip: the practice named, the run taken, what came in kept, the transaction done. Only where nothing has
-- been added since the asker last looked and the run is open; else nothing is kept and nothing comes back.
create function run_append(
    practice uuid, given uuid, after bigint, ids uuid[], devices uuid[], seqs int[], monos float8[], walls timestamptz[], bodies jsonb[],
    coach uuid, by_partner bytea
)
returns table (id uuid, "position" bigint)
language plpgsql volatile security invoker set search_path = public as $$
#variable_conflict use_column
declare
    kept bigint;
begin
    perform set_config('impulso.practice_id', practice::text, true);
    perform from runs r where r.practice_id = run_append.practice and r.id = run_append.given and r.closed_at is null for update;
    if not found or exists (select from run_events e where e.practice_id = run_append.practice and e.run_id = run_append.given and e."position" > after) then
        return;
    end if;
    return query
        insert into run_events (id, practice_id, run_id, device, seq, mono_ms, wall, body, late, coach_id, partner)
        select e.id, run_append.practice, run_append.given, e.device, e.seq, e.mono_ms, e.wall, e.body, false, coach, by_partner
        from unnest(ids, devices, seqs, monos, walls, bodies) with ordinality as e (id, device, seq, mono_ms, wall, body, nth)
        order by e.nth
        on conflict (practice_id, id) do nothing
        returning run_events.id, run_events."position";
    get diagnostics kept = row_count;
    if kept < cardinality(ids) then
        raise exception 'an event of another run has this id' using errcode = 'unique_violation';
    end if;
end $$;
revoke execute on function run_append(uuid, uuid, bigint, uuid[], uuid[], int[], float8[], timestamptz[], jsonb[], uuid, bytea) from public;
grant execute on function run_append(uuid, uuid, bigint, uuid[], uuid[], int[], float8[], timestamptz[], jsonb[], uuid, bytea) to impulso_app;
