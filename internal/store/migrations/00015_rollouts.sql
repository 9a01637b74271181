-- +goose Up

alter table changes drop constraint changes_state_check;
alter table changes add constraint changes_state_check
    check (state in ('draft', 'waiting', 'approved', 'going_out', 'done', 'dropped', 'reverted'));
drop index changes_open;
create index changes_open on changes (updated_at desc, id desc)
    where state in ('draft', 'waiting', 'approved', 'going_out');

-- A change on its way to the devices. Body is the state machine without its devices; edits are those that go out, while
-- those of the change may be another set already.
create table rollouts (
    id          text        primary key,
    change_id   text        not null unique references changes,
    name        text        not null unique, -- of the change
    state       text        not null check (state in ('running', 'paused', 'stopped', 'done', 'reverted')),
    version     bigint      not null,
    body        jsonb       not null,
    edits       jsonb       not null,
    touches     jsonb       not null, -- things that nothing else may alter meanwhile
    trouble     text        not null, -- why it cannot come to its end, empty for nothing
    started_at  timestamptz not null,
    started_by  text        not null,
    looked_at   timestamptz not null, -- when it was looked at last
    ended_at    timestamptz           -- when it was reverted, or its change was made for good
);
create index rollouts_under_way on rollouts (id) where ended_at is null;
create index rollouts_by_time on rollouts (started_at desc, id desc);

create table rollout_devices (
    rollout_id  text        not null references rollouts on delete cascade,
    device_id   text        not null references devices on delete cascade,
    wave        integer     not null, -- index
    outcome     text        not null,
    failing     jsonb       not null, -- settings that failed, were refused or are held
    units       jsonb       not null, -- settings that the change alters
    epoch       bigint      not null, -- of the first desired state with the change, and its number; 0 before there is one
    number      bigint      not null,
    since       timestamptz not null, -- from when reports count
    verified_at timestamptz,
    primary key (rollout_id, device_id)
);
create index rollout_devices_by_device on rollout_devices (device_id);

-- +goose Down
drop table rollout_devices;
drop table rollouts;
drop index changes_open;
update changes set state = 'dropped' where state in ('going_out', 'reverted');
alter table changes drop constraint changes_state_check;
alter table changes add constraint changes_state_check
    check (state in ('draft', 'waiting', 'approved', 'done', 'dropped'));
create index changes_open on changes (updated_at desc, id desc) where state in ('draft', 'waiting', 'approved');
