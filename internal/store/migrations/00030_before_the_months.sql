-- +goose NO TRANSACTION
-- +goose Up
-- What devices tell, and what they are told, goes into tables of months (see the next migration). What there is becomes the part
-- before the first month. This prepares it while the service runs: it holds up nobody, and may be cut and begun again anywhere.

-- The first month begins at least four weeks from now, so that the proof below stands in nobody's way should this be cut. In a
-- database that nobody uses yet it is this month.
-- +goose StatementBegin
do $$
declare
    first timestamptz := date_trunc('month', now(), 'UTC');
    x record;
begin
    if exists (select from operators) then
        first := date_trunc('month', now() at time zone 'UTC' + interval '2 months') at time zone 'UTC';
    end if;
    for x in select * from (values ('reports', 'received_at'), ('device_events', 'received_at'), ('desired_states', 'created_at'),
            ('findings', 'closed_at')) as t(parent, timed) loop
        execute format('alter table %I drop constraint if exists before_the_months', x.parent);
        execute format('alter table %I add constraint before_the_months check (%s %I < %L) not valid', x.parent,
            case x.parent when 'findings' then 'closed_at is null or' else '' end, x.timed, first);
        -- What a wrong clock once put into a later month happened before now.
        execute format('update %I set %I = now() where %I >= %L', x.parent, x.timed, x.timed, first);
    end loop;
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

-- +goose Down
alter table reports drop constraint if exists before_the_months;
alter table device_events drop constraint if exists before_the_months;
alter table desired_states drop constraint if exists before_the_months;
alter table findings drop constraint if exists before_the_months;
