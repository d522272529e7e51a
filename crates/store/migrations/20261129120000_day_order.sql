-- Whether a practice types the month before the day.

alter table practices add column month_first boolean not null default false;

grant update (month_first) on practices to impulso_app;
