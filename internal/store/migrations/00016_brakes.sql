-- +goose Up

-- An import, a rule or a change of facts that would alter so much that it waits for a person. Request is what was asked for.
create table brakes (
    id          text        primary key,
    kind        text        not null check (kind in ('facts', 'rule', 'directory')),
    object      text        not null,
    state       text        not null check (state in ('waiting', 'released', 'refused')),
    request     text        not null,
    fleet       integer     not null, -- devices
    devices     integer     not null, -- of those, whose desired state it would alter
    leaving     integer     not null, -- of those, on which somebody leaves administrators
    sums        jsonb       not null,
    asked_by    text        not null,
    asked_at    timestamptz not null,
    decided_by  text        not null,
    decided_at  timestamptz,
    reason      text        not null
);
create index brakes_by_time on brakes (asked_at desc, id desc);
create index brakes_waiting on brakes (asked_at desc, id desc) where state = 'waiting';

-- Devices that the last reading of the directory would have altered, when it waits for a decision because of that.
alter table directory_sync add column altering integer not null default 0;

-- +goose Down
alter table directory_sync drop column altering;
drop table brakes;
