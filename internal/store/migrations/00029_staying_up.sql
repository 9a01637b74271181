-- +goose Up
-- Turns are leases, which end by themselves.
alter table fences add column holder text not null default '', add column ends_at timestamptz not null default '-infinity';

-- The programs that share the database, each in a row of its own that it writes every second.
create table replicas (
    id         text primary key,
    host       text        not null, -- and the number of the process there
    program    text        not null,
    started_at timestamptz not null,
    at         timestamptz not null,
    since      timestamptz not null -- since when the service was there without a gap
);

-- Which program made a version of the schema, and from which version on programs can serve with it.
create table schema_programs (
    version     bigint primary key,
    program     text   not null,
    serves_from bigint not null
);

-- Which database this is: what is remembered of another one, or of another timeline, says nothing here.
alter table service_state add column system_identifier text not null default '', add column timeline bigint not null default 0;

-- When the database went back, and what the service did.
create table database_returns (
    epoch bigint primary key, -- that began
    at    timestamptz not null,
    why   text        not null
);

-- Devices that hold what the service never gave them are few, and counted all the time.
create index devices_mismatched on devices (id) where mismatched;

-- A freeze stops settling, waves or both, everywhere.
create table freezes (
    what   text primary key check (what in ('rollouts', 'all')),
    reason text        not null,
    by     text        not null,
    at     timestamptz not null
);

-- Whether a device was online when its wave opened, and when it was given the change.
alter table rollout_devices add column online boolean not null default false, add column given_at timestamptz;

-- Devices that came while no wave may open were a list in the document of the rollout.
insert into rollout_devices (rollout_id, device_id, wave, outcome, failing, units, epoch, number, since)
    select r.id, late.id, greatest(0, (select count(*) from jsonb_array_elements(r.body::jsonb -> 'waves') w
        where w ->> 'opened_at' is not null) - 1), 'late', '[]', '[]', 0, 0, now()
    from rollouts r cross join lateral jsonb_array_elements_text(case when jsonb_typeof(r.body::jsonb -> 'late') = 'array'
        then r.body::jsonb -> 'late' else '[]' end) as late(id)
    where r.ended_at is null on conflict do nothing;

-- +goose Down
delete from rollout_devices where outcome = 'late';
alter table rollout_devices drop column online, drop column given_at;
drop index devices_mismatched;
drop table freezes, database_returns, schema_programs, replicas;
alter table service_state drop column system_identifier, drop column timeline;
alter table fences drop column holder, drop column ends_at;
