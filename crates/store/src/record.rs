//! Everything that is kept of one person, as the tables hold it: for the person who asks for it.

use serde_json::Value;

use crate::{PersonId, Result, Scope};

/// One person's whole record as JSON: the profile, every check, run with its events, result, plan and date, and what was
/// done with the record. Names of others who shared a run are not in it.
///
/// # Errors
/// [`crate::Error::NotFound`].
pub async fn of_person(scope: &mut Scope, person: PersonId) -> Result<Value> {
    let practice = scope.practice_id();
    Ok(sqlx::query_scalar!(
        r#"select jsonb_build_object(
               'person', to_jsonb(p) - array['practice_id', 'name_key'],
               'readiness_checks', coalesce((select jsonb_agg(to_jsonb(c) - array['practice_id', 'person_id'] order by c.created_at)
                   from readiness_checks c where c.practice_id = $1 and c.person_id = $2), '[]'),
               'runs', coalesce((select jsonb_agg(
                       (to_jsonb(r) - array['practice_id', 'join_code'])
                       || jsonb_build_object('setup', f.setup, 'events', coalesce((select jsonb_agg(e.body order by e.position)
                           from run_events e where e.practice_id = $1 and e.run_id = r.id
                             and (e.body ->> 'slot' is null or (e.body ->> 'slot')::int = f.slot)), '[]')) order by r.created_at)
                   from run_performers f join runs r on r.practice_id = f.practice_id and r.id = f.run_id
                   where f.practice_id = $1 and f.person_id = $2), '[]'),
               'results', coalesce((select jsonb_agg(to_jsonb(x) - array['practice_id', 'person_id'] order by x.taken_at)
                   from results x where x.practice_id = $1 and x.person_id = $2), '[]'),
               'result_versions', coalesce((select jsonb_agg(to_jsonb(w) - array['practice_id', 'person_id'] order by w.result_id, w.version)
                   from result_versions w where w.practice_id = $1 and w.person_id = $2), '[]'),
               'retest_plans', coalesce((select jsonb_agg(to_jsonb(n) - array['practice_id', 'person_id'] order by n.created_at)
                   from retest_plans n where n.practice_id = $1 and n.person_id = $2), '[]'),
               'retests', coalesce((select jsonb_agg(to_jsonb(t) - array['practice_id', 'person_id'] order by t.due_on)
                   from retests t where t.practice_id = $1 and t.person_id = $2), '[]'),
               'events', coalesce((select jsonb_agg(to_jsonb(h) - array['practice_id', 'person_id'] order by h.from_on)
                   from happenings h where h.practice_id = $1 and h.person_id = $2), '[]'),
               'visits', coalesce((select jsonb_agg((to_jsonb(v) - array['practice_id', 'person_id'])
                       || jsonb_build_object('events', coalesce((select jsonb_agg(e.body order by e.position)
                           from visit_events e where e.practice_id = $1 and e.visit_id = v.id), '[]')) order by v.created_at)
                   from visits v where v.practice_id = $1 and v.person_id = $2), '[]'),
               'groups', coalesce((select jsonb_agg(jsonb_build_object('group', g.name, 'joined_on', m.joined_on, 'left_on', m.left_on,
                       'playing_group', m.playing_group, 'number', m.number, 'set_up', m.set_up) order by m.joined_on)
                   from group_members m join groups g on g.practice_id = m.practice_id and g.id = m.group_id
                   where m.practice_id = $1 and m.person_id = $2), '[]'),
               'group_visits', coalesce((select jsonb_agg(jsonb_build_object('group', g.name, 'on', v.on_date, 'battery', v.battery_id,
                       'presence', r.presence, 'reason', r.reason, 'visit', r.visit_id) order by v.created_at)
                   from group_visit_people r
                   join group_visits v on v.practice_id = r.practice_id and v.id = r.group_visit_id
                   join groups g on g.practice_id = v.practice_id and g.id = v.group_id
                   where r.practice_id = $1 and r.person_id = $2), '[]'),
               'goals', coalesce((select jsonb_agg(to_jsonb(g) - array['practice_id', 'person_id'] order by g.created_at)
                   from goals g where g.practice_id = $1 and g.person_id = $2), '[]'),
               'consents', coalesce((select jsonb_agg(to_jsonb(a) - array['practice_id', 'person_id'] order by a.created_at)
                   from consents a where a.practice_id = $1 and a.person_id = $2), '[]'),
               'photos', coalesce((select jsonb_agg(jsonb_build_object('on', f.on_date, 'view', f.view, 'jpeg_base64', encode(f.jpeg, 'base64')) order by f.on_date, f.view)
                   from photos f where f.practice_id = $1 and f.person_id = $2), '[]'),
               'who_did_what', coalesce((select jsonb_agg(jsonb_build_object('at', a.at, 'action', a.action, 'detail', a.detail) order by a.at)
                   from audit a where a.practice_id = $1 and a.person_id = $2), '[]')
           ) as "record!"
           from people p where p.practice_id = $1 and p.id = $2"#,
        practice,
        person.0
    )
    .fetch_one(scope.db())
    .await?)
}
