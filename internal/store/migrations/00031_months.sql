-- +goose Up
-- What devices tell, and what they are told, is kept in tables of months (UTC), so that a month goes at once when it is no longer
-- kept. Each such table consists of what was before the first month, the months, and what is later than the last one.
--   device_reports    every report, for some weeks; what it says is in report_bodies, once for each device, month and content
--   daily_reports     the last report of each day of each device, for a year; what they say is in daily_bodies
--   device_events     what happened on devices
--   desired_states    what devices were to have
--   findings          open ones, which have no month (findings_open), and closed ones by the month in which they were closed

-- In the order in which a report takes them, and for less time than after which PostgreSQL looks for deadlocks (1 s).
set local lock_timeout = '200ms';
lock table findings, reports, desired_states, device_events in access exclusive mode;

-- +goose StatementBegin
create function history_by(parent text) returns text language sql immutable as $$
    select case parent
        when 'device_reports' then 'received_at' when 'report_bodies' then 'month'
        when 'daily_reports' then 'received_at' when 'daily_bodies' then 'month'
        when 'device_events' then 'received_at' when 'desired_states' then 'created_at' when 'findings' then 'closed_at'
    end
$$;
-- +goose StatementEnd

-- What stays when a month goes: what devices have now. Nothing stays where it gives null.
-- +goose StatementBegin
create function history_stays(parent text) returns text language sql immutable as $$
    select case parent
        when 'daily_reports' then 'exists (select from devices d where d.id = x.device_id and d.report_id = x.id)'
        when 'daily_bodies' then 'exists (select from devices d join daily_reports r on r.id = d.report_id and r.received_at = d.reported_at
            where d.id = x.device_id and r.body_digest = x.digest)'
        when 'desired_states' then 'exists (select from devices d where d.id = x.device_id and ((d.desired_epoch, d.desired_number) =
            (x.epoch, x.number) or (d.reported_epoch, d.reported_number) = (x.epoch, x.number)))'
    end
$$;
-- +goose StatementEnd

-- The names and bounds of the parts of a table. A bound is null where there is none.
-- +goose StatementBegin
create function history_parts(parent text) returns table (part text, first timestamptz, past timestamptz) language sql stable
    set search_path = public, pg_temp set timezone = 'UTC' set datestyle = 'ISO' as $$
    select c.relname::text, substring(b.bounds from $x$FROM \('([^']+)'\)$x$)::timestamptz,
        substring(b.bounds from $x$TO \('([^']+)'\)$x$)::timestamptz
    from pg_inherits i join pg_class c on c.oid = i.inhrelid cross join lateral pg_get_expr(c.relpartbound, c.oid) as b(bounds)
    where i.inhparent = to_regclass(parent) and b.bounds <> 'DEFAULT'
$$;
-- +goose StatementEnd

-- history_part makes a table that can become a part of another one. It has indexes of its own: of what is unique within it, which
-- no index over all months can promise, and of what the part before the first month has otherwise.
-- +goose StatementBegin
create function history_part(parent text, part text) returns void language plpgsql as $$
declare
    columns text;
begin
    execute format('create table %I (like %I including defaults including constraints including indexes including storage)', part, parent);
    foreach columns in array case parent
        when 'device_reports' then array['id', 'device_id, epoch, seq'] when 'daily_reports' then array['id', 'device_id, epoch, seq']
        when 'device_events' then array['id', 'device_id, epoch, seq'] when 'desired_states' then array['device_id, epoch, number']
        when 'findings' then array['id'] else array['digest, month'] end loop
        execute format('create unique index on %I (%s)', part, columns);
    end loop;
    if parent = 'device_reports' then -- whoever copies the last of each day reads a day
        execute format('create index on %I using brin (received_at)', part);
    end if;
end $$;
-- +goose StatementEnd

-- history_extend makes the months of a table up to one, and gives their number. The service's role may not alter the schema, but
-- this it may.
-- +goose StatementBegin
create function history_extend(parent text, upto date) returns integer language plpgsql security definer
    set search_path = public, pg_temp set timezone = 'UTC' set datestyle = 'ISO' as $$
declare
    later text := parent || '_later';
    timed text := history_by(parent);
    month timestamptz;
    past timestamptz;
    part text;
    made integer := 0;
begin
    if timed is null then
        raise exception 'the table % has no months', parent;
    end if;
    loop
        select p.first into strict month from history_parts(parent) p where p.part = later;
        exit when month > upto;
        part := format('%s_%s', parent, to_char(month, 'YYYY_MM'));
        past := month + interval '1 month';
        execute format('alter table %I detach partition %I', parent, later);
        perform history_part(parent, part);
        execute format('with moved as (delete from %I where %I < %L returning *) insert into %I select * from moved', later, timed, past, part);
        execute format('alter table %I attach partition %I for values from (%L) to (%L)', parent, part, month, past);
        execute format('alter table %I attach partition %I for values from (%L) to (maxvalue)', parent, later, past);
        made := made + 1;
    end loop;
    return made;
end $$;
-- +goose StatementEnd

-- history_drop drops the months of a table that are over before a day, but for what stays of them, and gives their names.
-- +goose StatementBegin
create function history_drop(parent text, day date) returns text[] language plpgsql security definer
    set search_path = public, pg_temp set timezone = 'UTC' set datestyle = 'ISO' as $$
declare
    stays text := history_stays(parent);
    before text := parent || '_before';
    past text := parent || '_past';
    month timestamptz := date_trunc('month', day::timestamptz);
    gone text[];
begin
    if history_by(parent) is null then
        raise exception 'the table % has no months', parent;
    end if;
    select array_agg(p.part order by p.first nulls first) into gone from history_parts(parent) p where p.past <= month;
    if stays is not null and gone = array[before] then
        return '{}'; -- only what stayed
    end if;
    if stays is not null and gone is not null then
        perform history_part(parent, past);
        execute format('insert into %I select x.* from %I x where %I < %L and %s', past, parent, history_by(parent), month, stays);
    end if;
    for i in 1 .. coalesce(array_length(gone, 1), 0) loop
        execute format('drop table %I', gone[i]);
    end loop;
    if stays is not null and gone is not null then
        execute format('alter table %I rename to %I', past, before);
        execute format('alter table %I attach partition %I for values from (minvalue) to (%L)', parent, before, month);
    end if;
    return coalesce(gone, '{}');
end $$;
-- +goose StatementEnd

-- history_rights gives everybody the rights on a table that they had on another one.
-- +goose StatementBegin
create function history_rights(former text, present text) returns void language plpgsql as $$
declare
    r record;
begin
    for r in select a.grantee::regrole as role, a.privilege_type as what from pg_class c cross join lateral aclexplode(c.relacl) a
            where c.oid = former::regclass and a.grantee <> 0 loop
        execute format('grant %s on %s to %s', r.what, present, r.role);
    end loop;
end $$;
-- +goose StatementEnd

-- Reports.
alter table reports rename to device_reports_before;
alter table device_reports_before alter body drop not null, add column body_digest bytea;

create sequence device_reports_ids;
create table device_reports (
    id             bigint      not null default nextval('device_reports_ids'),
    device_id      text        not null,
    epoch          bigint      not null,
    seq            bigint      not null,
    desired_epoch  bigint      not null,
    desired_number bigint      not null,
    at             timestamptz not null,
    received_at    timestamptz not null,
    digest         text        not null, -- of the signed request that brought it
    body           jsonb,                -- of reports that came before bodies were apart, else null
    body_digest    bytea                 -- SHA-256 of the device and what it said, but for number and time
) partition by range (received_at);

create table report_bodies (
    month     date  not null,
    digest    bytea not null,
    device_id text  not null,
    body      jsonb not null
) partition by range (month);

create table daily_reports (
    id             bigint      not null,
    device_id      text        not null,
    epoch          bigint      not null,
    seq            bigint      not null,
    desired_epoch  bigint      not null,
    desired_number bigint      not null,
    at             timestamptz not null,
    received_at    timestamptz not null,
    digest         text        not null,
    body_digest    bytea       not null
) partition by range (received_at);

create table daily_bodies (
    month     date  not null,
    digest    bytea not null,
    device_id text  not null,
    body      jsonb not null
) partition by range (month);

-- Every report that is kept, as it was sent. The last one of a day can be there twice.
create view reports as
    select r.id, r.device_id, r.epoch, r.seq, r.desired_epoch, r.desired_number, r.at, r.received_at, r.digest,
        coalesce(r.body, (select b.body || jsonb_build_object('seq', r.seq, 'at', r.at) from report_bodies b
            where b.month = date_trunc('month', r.received_at at time zone 'UTC')::date and b.digest = r.body_digest)) as body
    from device_reports r
    union all
    select r.id, r.device_id, r.epoch, r.seq, r.desired_epoch, r.desired_number, r.at, r.received_at, r.digest,
        (select b.body || jsonb_build_object('seq', r.seq, 'at', r.at) from daily_bodies b
            where b.month = date_trunc('month', r.received_at at time zone 'UTC')::date and b.digest = r.body_digest)
    from daily_reports r;

-- The program before this one knows the view as a table, and may run beside this one for a while. These go with the next schema.
-- +goose StatementBegin
create function report_added() returns trigger language plpgsql as $$
begin
    new.id := nextval('device_reports_ids');
    insert into device_reports (id, device_id, epoch, seq, desired_epoch, desired_number, at, received_at, digest, body)
        values (new.id, new.device_id, new.epoch, new.seq, new.desired_epoch, new.desired_number, new.at, new.received_at, new.digest, new.body);
    return new;
end $$;
-- +goose StatementEnd
-- +goose StatementBegin
create function report_stays() returns trigger language plpgsql as $$ begin return null; end $$;
-- +goose StatementEnd
create trigger report_added instead of insert on reports for each row execute function report_added();
create trigger report_stays instead of delete on reports for each row execute function report_stays();

-- Events.
alter table device_events rename to device_events_before;
create sequence device_events_ids;
create table device_events (
    id          bigint      not null default nextval('device_events_ids'),
    device_id   text        not null,
    epoch       bigint      not null,
    seq         bigint      not null,
    at          timestamptz not null,
    received_at timestamptz not null,
    kind        text        not null,
    unit        text        not null,
    subject     text        not null,
    policy      text        not null default '',
    details     jsonb       not null default '{}'
) partition by range (received_at);
create index on device_events (device_id, id);
create index on device_events (kind, id);
create index on device_events (received_at);

-- Desired states.
alter table desired_states rename to desired_states_before;
create table desired_states (
    device_id   text        not null,
    epoch       bigint      not null,
    number      bigint      not null,
    name        text        not null,
    settings    text        not null,
    digest      text        not null,
    created_at  timestamptz not null,
    scope       text        not null,
    verified_at timestamptz
) partition by range (created_at);
create index on desired_states (verified_at) where verified_at is not null;

-- Findings.
alter index findings_open rename to findings_open_once;
alter table findings rename to findings_open;
create sequence findings_ids;
create table findings (
    id          bigint      not null default nextval('findings_ids'),
    device_id   text        not null,
    key         text        not null,
    unit        text        not null,
    kind        text        not null,
    subject     text        not null,
    expected    jsonb,
    actual      jsonb,
    assignments jsonb       not null,
    state       text        not null constraint findings_state_check check (state in ('open', 'waived', 'settled', 'corrected')),
    first_seen  timestamptz not null,
    last_seen   timestamptz not null,
    closed_at   timestamptz,
    told        text        not null default ''
) partition by range (closed_at);
create index on findings (device_id, id);
create index on findings (state, id) where state <> 'open';
create index on findings (state, unit, kind, id) where state <> 'open';
create index on findings (first_seen);
create index on findings (coalesce(closed_at, first_seen));
create index on findings (closed_at) where closed_at is not null;
create index on findings (id) where told <> state;

-- What there is becomes what was before the first month, and numbers go on. The proof that it belongs there was made before.
-- +goose StatementBegin
do $$
declare
    x record;
    former text;
    first timestamptz;
    last bigint;
    used boolean;
begin
    set local timezone = 'UTC';
    set local datestyle = 'ISO';
    for x in select * from (values
            ('device_reports', 'device_reports_before', 'device_reports_before'), ('report_bodies', 'report_bodies_before', 'device_reports_before'),
            ('daily_reports', 'daily_reports_before', ''), ('daily_bodies', 'daily_bodies_before', ''),
            ('device_events', 'device_events_before', 'device_events_before'),
            ('desired_states', 'desired_states_before', 'desired_states_before'),
            ('findings', 'findings_open', 'findings_open')) as t(parent, before, proved) loop
        if x.proved <> '' then
            select substring(pg_get_constraintdef(oid) from $x$< '([^']+)'$x$) into strict first from pg_constraint
                where conrelid = x.proved::regclass and conname = 'before_the_months';
        else -- the days of a year ago and later are made from what there is
            first := date_trunc('month', now()) - case when exists (select from operators) then interval '13 months' else interval '0' end;
        end if;
        if to_regclass(x.before) is null then
            perform history_part(x.parent, x.before);
        end if;
        if to_regclass(x.parent || '_ids') is not null then
            former := pg_get_serial_sequence(x.before, 'id');
            execute format('select last_value, is_called from %s', former) into strict last, used;
            perform setval(x.parent || '_ids', last, used);
            execute format('alter table %I alter id drop identity', x.before);
        end if;
        if x.parent = 'findings' then
            execute format('alter table %I attach partition %I default', x.parent, x.before);
        else
            execute format('alter table %I attach partition %I for values from (minvalue) to (%L)', x.parent, x.before, first);
        end if;
        perform history_part(x.parent, x.parent || '_later');
        execute format('alter table %I attach partition %I for values from (%L) to (maxvalue)', x.parent, x.parent || '_later', first);
        perform history_extend(x.parent, (date_trunc('month', now()) + interval '2 months')::date);
    end loop;
    perform history_rights('device_reports_before', t) from unnest(array['reports', 'device_reports', 'report_bodies', 'daily_reports', 'daily_bodies']) t;
    perform history_rights('device_events_before', 'device_events');
    perform history_rights('desired_states_before', 'desired_states');
    perform history_rights('findings_open', 'findings');
    for x in select distinct a.grantee::regrole as role from pg_class c cross join lateral aclexplode(c.relacl) a
            where c.oid = 'findings'::regclass and a.grantee <> 0 loop
        execute format('grant usage, select on sequence device_reports_ids, device_events_ids, findings_ids to %s', x.role);
        execute format('grant execute on function history_extend(text, date), history_drop(text, date) to %s', x.role);
    end loop;
end $$;
-- +goose StatementEnd
drop function history_rights(text, text);
revoke execute on function history_extend(text, date), history_drop(text, date) from public;

-- +goose Down
lock table devices, device_reports, daily_reports, device_events, desired_states, findings in access exclusive mode;
create table former_reports as select distinct on (id) * from reports where body is not null;
drop view reports;
drop function report_added(), report_stays();
drop table device_reports, report_bodies, daily_reports, daily_bodies;
alter table former_reports rename to reports;
alter table reports alter id set not null, alter device_id set not null, alter epoch set not null, alter seq set not null,
    alter desired_epoch set not null, alter desired_number set not null, alter at set not null, alter received_at set not null,
    alter digest set not null, alter body set not null;
alter table reports add primary key (id), add unique (device_id, epoch, seq), add foreign key (device_id) references devices,
    alter id add generated always as identity;
select setval(pg_get_serial_sequence('reports', 'id'), last_value, is_called) from device_reports_ids;
drop sequence device_reports_ids;
create index reports_received on reports (received_at);

create table former_events (like device_events);
insert into former_events select * from device_events;
drop table device_events;
alter table former_events rename to device_events;
alter table device_events add primary key (id), add unique (device_id, epoch, seq), add foreign key (device_id) references devices,
    alter policy set default '', alter details set default '{}', alter id add generated always as identity;
select setval(pg_get_serial_sequence('device_events', 'id'), last_value, is_called) from device_events_ids;
drop sequence device_events_ids;
create index device_events_device on device_events (device_id, id);
create index device_events_kind on device_events (kind, id);
create index device_events_received on device_events (received_at);

create table former_states (like desired_states);
insert into former_states select * from desired_states;
drop table desired_states;
alter table former_states rename to desired_states;
alter table desired_states add primary key (device_id, epoch, number), add foreign key (device_id) references devices;
create index desired_states_created on desired_states (created_at);
create index desired_states_verified on desired_states (verified_at) where verified_at is not null;

create table former_findings (like findings including constraints);
insert into former_findings select * from findings;
drop table findings;
alter table former_findings rename to findings;
alter table findings add primary key (id), add foreign key (device_id) references devices, alter told set default '',
    alter id add generated always as identity;
select setval(pg_get_serial_sequence('findings', 'id'), last_value, is_called) from findings_ids;
drop sequence findings_ids;
create index findings_closed on findings (closed_at) where closed_at is not null;
create index findings_closed_id on findings (state, id) where state <> 'open';
create index findings_closed_unit on findings (state, unit, kind, id) where state <> 'open';
create index findings_device on findings (device_id, id);
create index findings_first on findings (first_seen);
create index findings_latest on findings (coalesce(closed_at, first_seen));
create unique index findings_open on findings (device_id, key) where closed_at is null;
create index findings_open_id on findings (id) where state = 'open';
create index findings_open_unit on findings (unit, kind, id) where state = 'open';
create index findings_untold on findings (id) where told <> state;
drop function history_drop(text, date), history_extend(text, date), history_part(text, text), history_parts(text), history_stays(text), history_by(text);

