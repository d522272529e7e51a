-- Tells every server process that something of a person was stored, once for each person and transaction: pages that show it look
-- again by themselves.

create function tell_person_changed() returns trigger language plpgsql as $$
begin
    perform pg_notify('impulso_person', practice_id || ' ' || person_id)
    from (select distinct practice_id, person_id from changed) of_people;
    return null;
end $$;

-- A result that was moved changes two people.
create function tell_people_changed() returns trigger language plpgsql as $$
begin
    perform pg_notify('impulso_person', practice_id || ' ' || person_id)
    from (select practice_id, person_id from changed union select practice_id, person_id from was) of_people;
    return null;
end $$;

create function tell_visit_changed() returns trigger language plpgsql as $$
begin
    perform pg_notify('impulso_person', v.practice_id || ' ' || v.person_id)
    from (select distinct practice_id, visit_id from changed) of_visits
    join visits v on v.practice_id = of_visits.practice_id and v.id = of_visits.visit_id;
    return null;
end $$;

create trigger results_added after insert on results referencing new table as changed
    for each statement execute function tell_person_changed();
create trigger results_changed after update on results referencing old table as was new table as changed
    for each statement execute function tell_people_changed();
create trigger visit_events_added after insert on visit_events referencing new table as changed
    for each statement execute function tell_visit_changed();
