-- +goose NO TRANSACTION
-- +goose Up
-- What devices tell, and what they are told, goes into tables of months (see the next migration). What there is becomes the part
-- before the first month. This prepares it while the service runs: it holds up nobody, and may be cut and begun again anywhere.

-- Each statement locks at most two tables, and gives up waiting before PostgreSQL looks for deadlocks (1 s), so that it is never
-- somebody else who is given up.
set lock_timeout = '400ms';

-- Dropping a month of a table with a foreign key would lock the devices. Devices are never deleted.
alter table reports drop constraint if exists reports_device_id_fkey;
alter table device_events drop constraint if exists device_events_device_id_fkey;
alter table desired_states drop constraint if exists desired_states_device_id_fkey;
alter table findings drop constraint if exists findings_device_id_fkey;

-- The first month begins at least four weeks from now, so that the proof below stands in nobody's way should this be cut. In a
-- database that nobody uses yet it is this month. What a wrong clock once put into a later month happened before now.
-- +goose StatementBegin
do $$
declare
    first timestamptz := date_trunc('month', now() at time zone 'UTC' + case when exists (select from operators) then interval '2 months'
        else interval '0' end) at time zone 'UTC';
begin
    alter table reports drop constraint if exists before_the_months;
    execute format('alter table reports add constraint before_the_months check (received_at < %L) not valid', first);
    update reports set received_at = now() where received_at >= first;
end $$;
-- +goose StatementEnd
-- +goose StatementBegin
do $$
declare
    first timestamptz := date_trunc('month', now() at time zone 'UTC' + case when exists (select from operators) then interval '2 months'
        else interval '0' end) at time zone 'UTC';
begin
    alter table device_events drop constraint if exists before_the_months;
    execute format('alter table device_events add constraint before_the_months check (received_at < %L) not valid', first);
    update device_events set received_at = now() where received_at >= first;
end $$;
-- +goose StatementEnd
-- +goose StatementBegin
do $$
declare
    first timestamptz := date_trunc('month', now() at time zone 'UTC' + case when exists (select from operators) then interval '2 months'
        else interval '0' end) at time zone 'UTC';
begin
    alter table desired_states drop constraint if exists before_the_months;
    execute format('alter table desired_states add constraint before_the_months check (created_at < %L) not valid', first);
    update desired_states set created_at = now() where created_at >= first;
end $$;
-- +goose StatementEnd
-- +goose StatementBegin
do $$
declare
    first timestamptz := date_trunc('month', now() at time zone 'UTC' + case when exists (select from operators) then interval '2 months'
        else interval '0' end) at time zone 'UTC';
begin
    alter table findings drop constraint if exists before_the_months;
    execute format('alter table findings add constraint before_the_months check (closed_at is null or closed_at < %L) not valid', first);
    update findings set closed_at = now() where closed_at >= first;
end $$;
-- +goose StatementEnd
alter table reports validate constraint before_the_months;
alter table device_events validate constraint before_the_months;
alter table desired_states validate constraint before_the_months;
alter table findings validate constraint before_the_months;

-- The report and the desired state of a device are found by their months, which are those of these times.
update devices d set desired_at = s.created_at from desired_states s where s.device_id = d.id and s.epoch = d.desired_epoch
    and s.number = d.desired_number and s.created_at is distinct from d.desired_at;
update devices d set reported_at = r.received_at from reports r where r.id = d.report_id and r.received_at is distinct from d.reported_at;
set lock_timeout = '2s';

-- +goose Down
alter table reports drop constraint if exists before_the_months, drop constraint if exists reports_device_id_fkey, add foreign key (device_id) references devices;
alter table device_events drop constraint if exists before_the_months, drop constraint if exists device_events_device_id_fkey, add foreign key (device_id) references devices;
alter table desired_states drop constraint if exists before_the_months, drop constraint if exists desired_states_device_id_fkey, add foreign key (device_id) references devices;
alter table findings drop constraint if exists before_the_months, drop constraint if exists findings_device_id_fkey, add foreign key (device_id) references devices;
