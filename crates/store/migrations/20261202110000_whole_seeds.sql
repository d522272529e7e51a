-- Whole numbers in documents are those that every reader of JSON keeps; a larger one is a text.
update runs set rehearsal = jsonb_set(rehearsal, '{client,seed}', to_jsonb(rehearsal #>> '{client,seed}'))
where jsonb_typeof(rehearsal #> '{client,seed}') = 'number' and (rehearsal #>> '{client,seed}')::numeric > 9007199254740992;
