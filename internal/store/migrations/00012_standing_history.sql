-- +goose Up
-- How the fleet and each group stood, hour by hour; the fleet is the group with no name.
create table standing_hours (
    group_name text        not null,
    hour       timestamptz not null,
    in_step    integer     not null,
    drifted    integer     not null,
    waiting    integer     not null,
    held       integer     not null,
    silent     integer     not null,
    primary key (group_name, hour)
);
create index standing_hours_by_hour on standing_hours (hour);

-- +goose Down
drop table standing_hours;
