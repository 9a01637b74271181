-- +goose Up

-- Where notifications go. Secrets are sealed with a key that is not in the database.
create table notification_targets (
    id              text primary key,
    name            text        not null,
    name_key        text        not null unique,
    kind            text        not null check (kind in ('webhook', 'syslog', 'mail')),
    address         text        not null,
    settings        jsonb       not null,
    secret          bytea,
    events          jsonb       not null,
    groups          jsonb       not null,
    enabled         boolean     not null,
    version         bigint      not null default 1,
    created_by      text        not null,
    created_at      timestamptz not null,
    -- How deliveries go: failures in a row, and the replica that delivers now until a time.
    failures        int         not null default 0,
    error           text        not null default '',
    next_at         timestamptz not null default '1970-01-01Z',
    leased_to       timestamptz not null default '1970-01-01Z',
    delivered_at    timestamptz
);

-- What was to tell. A row is written where at least one target wants it, or before that is known.
create table notifications (
    id         text primary key,
    kind       text        not null,
    subject    text        not null,
    device_id  text        not null,
    words      text        not null,
    path       text        not null,
    urgent     boolean     not null,
    data       jsonb       not null,
    at         timestamptz not null,
    spread     boolean     not null
);
create index notifications_unspread on notifications (id) where not spread;
create index notifications_at on notifications (at);

create table deliveries (
    id              bigint generated always as identity primary key,
    target_id       text        not null references notification_targets on delete cascade,
    notification_id text        not null references notifications on delete cascade,
    state           text        not null check (state in ('waiting', 'delivered', 'failed')),
    attempts        int         not null default 0,
    error           text        not null default '',
    created_at      timestamptz not null,
    ended_at        timestamptz
);
create index deliveries_waiting on deliveries (target_id, id) where state = 'waiting';
create index deliveries_target on deliveries (target_id, state, id);
create index deliveries_state on deliveries (state, id);
create index deliveries_notification on deliveries (notification_id);

-- How far the trail was read, and which devices were told of as held or silent.
create table notified_to (what text primary key, seq bigint not null);
insert into notified_to select 'trail', coalesce(max(seq), 0) from audit_entries;
create table notified_standings (device_id text not null, standing text not null, primary key (device_id, standing));

-- The state of a finding that was told last.
alter table findings add column told text not null default 'settled';
update findings set told = state where state <> 'settled';
alter table findings alter column told set default '';
create index findings_untold on findings (id) where told <> state;

-- +goose Down
drop index findings_untold;
alter table findings drop column told;
drop table deliveries, notifications, notification_targets, notified_to, notified_standings;
