-- +goose Up
create table device_events (
    id          bigint generated always as identity primary key,
    device_id   text        not null references devices,
    epoch       bigint      not null,
    seq         bigint      not null,
    at          timestamptz not null,
    received_at timestamptz not null,
    kind        text        not null,
    unit        text        not null,
    subject     text        not null,
    before      text        not null,
    after       text        not null,
    unique (device_id, epoch, seq)
);
create index device_events_device on device_events (device_id, id);
create index device_events_kind on device_events (kind, id);

-- +goose Down
drop table device_events;
