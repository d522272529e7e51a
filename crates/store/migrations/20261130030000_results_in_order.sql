-- A person's results of a test in the order in which they count, so that the few before one are found without reading all.
create index results_in_order on results (practice_id, person_id, protocol_id, on_date, taken_at, id);
drop index results_of_person;
-- When somebody was last tested, whatever it was.
create index results_last_of_person on results (practice_id, person_id, taken_at) where not voided;
