-- +goose Up
-- Rights for a time: a principal is a member of a local group of some devices until a stated time.
create table warrants (
    id            text primary key,
    unit          text not null,
    principal     text not null,
    starts_at     timestamptz,
    ends_at       timestamptz,
    lasts_seconds integer not null check (lasts_seconds > 0),
    despite       boolean not null default false,
    end_sessions  boolean not null default false,
    reason        text not null,
    ticket        text not null default '',
    state         text not null check (state in ('waiting', 'agreed', 'refused', 'taken_back', 'ended')),
    needs         jsonb not null default '[]',
    people        jsonb not null default '[]',
    asked_by      text not null,
    asked_by_id   text not null,
    asked_at      timestamptz not null,
    decided_by    text not null default '',
    decided_at    timestamptz,
    ended_by      text not null default '',
    ended_at      timestamptz,
    check (state <> 'agreed' or starts_at is not null and ends_at > starts_at)
);
create index warrants_open on warrants (id) where state in ('waiting', 'agreed');
create index warrants_ended_at on warrants (ended_at) where ended_at is not null;

create table warrant_devices (
    device_id  text not null references devices (id) on delete cascade,
    warrant_id text not null references warrants (id) on delete cascade,
    was_member boolean not null default false, -- the principal was a member before
    primary key (device_id, warrant_id)
);
create index warrant_devices_warrant on warrant_devices (warrant_id);

-- +goose Down
drop table warrant_devices;
drop table warrants;
