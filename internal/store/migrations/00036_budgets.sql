-- +goose Up
-- Refused attempts of one person or device beyond those that the trail tells one by one, summed up by the minute until
-- they enter it.
create table refused_attempts (
    minute timestamptz not null,
    actor  text not null,
    action text not null,
    count  integer not null,
    primary key (minute, actor, action)
);

-- A password that somebody had seen within the hour was shown to them again, which counts for nothing.
alter table reveals add column again boolean not null default false;

-- +goose Down
alter table reveals drop column again;
drop table refused_attempts;
