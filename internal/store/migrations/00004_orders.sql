-- +goose Up
alter table devices add column order_number bigint not null default 0;

create table orders (
    id           bigint generated always as identity primary key,
    device_id    text        not null references devices,
    number       bigint      not null,
    kind         text        not null,
    subject      text        not null,
    state        text        not null check (state in ('queued', 'delivered', 'done', 'failed', 'ended', 'replaced')),
    detail       text        not null default '',
    created_by   text        not null,
    created_at   timestamptz not null,
    ends_at      timestamptz not null,
    delivered_at timestamptz,
    finished_at  timestamptz,
    unique (device_id, number)
);
create index orders_device on orders (device_id, id);

-- +goose Down
drop table orders;
alter table devices drop column order_number;
