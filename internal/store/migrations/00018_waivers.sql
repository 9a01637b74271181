-- +goose Up

alter table findings drop constraint findings_state_check;
alter table findings add constraint findings_state_check check (state in ('open', 'waived', 'settled', 'corrected'));

-- A difference of one device that is accepted until a day: the device leaves it alone, and it is no drift.
create table waivers (
    id          text        primary key,
    device_id   text        not null references devices on delete cascade,
    unit        text        not null,
    subject     text        not null,
    words       text        not null, -- what the finding said
    state       text        not null check (state in ('waiting', 'active', 'ended')),
    reason      text        not null,
    until       timestamptz not null,
    made_by     text        not null,
    made_at     timestamptz not null,
    approved_by text        not null, -- empty where nobody had to
    ended_by    text        not null, -- empty while it has not
    ended_at    timestamptz
);
create unique index waivers_one on waivers (device_id, unit, subject) where state <> 'ended';
create index waivers_due on waivers (until) where state <> 'ended';
create index waivers_by_time on waivers (id desc);

-- +goose Down
drop table waivers;
update findings set state = 'open' where state = 'waived';
alter table findings drop constraint findings_state_check;
alter table findings add constraint findings_state_check check (state in ('open', 'settled', 'corrected'));
