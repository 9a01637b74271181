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

-- +goose Down
drop table refused_attempts;
