-- When a client's body mass was measured, and from how many weeks on a practice asks for it again.

alter table people add column mass_on date;

update people p set mass_on = greatest(
    (p.created_at at time zone 'UTC')::date,
    (select max(r.on_date) from results r
     where r.practice_id = p.practice_id and r.person_id = p.id and not r.voided and r.inputs ? 'mass_kg')
) where mass_kg is not null;

alter table practices add column mass_weeks smallint not null default 8 check (mass_weeks between 1 and 104);

grant update (mass_weeks) on practices to impulso_app;
