-- +goose Up
-- Members of groups are devices by identifier, so that one which renames itself stays where it is. A name that was listed for a
-- device that is not there yet is expected, and gives no reach. A device keeps its former names from others for a while.
create table members (
    group_id  text not null references groups on delete cascade,
    device_id text not null references devices,
    certain   boolean not null default true, -- false when a fact that the rule reads is not known
    primary key (group_id, device_id)
);
create index members_device on members (device_id);
create table expected_names (
    group_id text not null references groups on delete cascade,
    name_key text not null, -- folded
    primary key (group_id, name_key)
);
create index expected_names_name on expected_names (name_key);
create table former_names (
    name_key  text primary key, -- folded
    name      text not null,
    device_id text not null references devices,
    until     timestamptz not null
);
create index former_names_device on former_names (device_id);

-- The name that a workstation says it has, where it could not be taken; empty where it has the one that is known.
alter table devices add column name_refused text not null default '';

-- What the program before reads and writes meanwhile is the same by names. These go with the next schema.
-- +goose StatementBegin
create function members_by_name() returns trigger language plpgsql as $$
begin
    if tg_op = 'DELETE' then
        delete from members m using gone, devices d where m.group_id = gone.group_id and d.name_key = gone.device
            and d.state = 'live' and m.device_id = d.id;
        delete from expected_names e using gone where e.group_id = gone.group_id and e.name_key = gone.device;
        return null;
    end if;
    insert into members (group_id, device_id, certain)
        select f.group_id, d.id, f.certain from fresh f join devices d on d.name_key = f.device and d.state = 'live'
        on conflict (group_id, device_id) do update set certain = excluded.certain;
    insert into expected_names (group_id, name_key)
        select f.group_id, f.device from fresh f join groups g on g.id = f.group_id where g.rule = '' and not exists
            (select 1 from devices d where d.name_key = f.device and d.state = 'live')
        on conflict do nothing;
    return null;
end $$;
create function names_of_members() returns trigger language plpgsql as $$
begin
    if tg_op = 'DELETE' then
        delete from group_members g using gone, devices d where d.id = gone.device_id and g.group_id = gone.group_id
            and g.device = d.name_key;
        return null;
    end if;
    insert into group_members (group_id, device, certain)
        select f.group_id, d.name_key, f.certain from fresh f join devices d on d.id = f.device_id
        on conflict (group_id, device) do update set certain = excluded.certain;
    return null;
end $$;
create function names_that_are_expected() returns trigger language plpgsql as $$
begin
    if tg_op = 'DELETE' then
        delete from group_members g using gone where g.group_id = gone.group_id and g.device = gone.name_key
            and not exists (select 1 from members m join devices d on d.id = m.device_id
                where m.group_id = gone.group_id and d.name_key = gone.name_key);
        return null;
    end if;
    insert into group_members (group_id, device) select group_id, name_key from fresh on conflict do nothing;
    return null;
end $$;
create function names_of_a_device() returns trigger language plpgsql as $$
begin
    if new.state = 'live' then
        with there as (delete from expected_names where name_key = new.name_key returning group_id)
            insert into members (group_id, device_id) select group_id, new.id from there on conflict do nothing;
        insert into members (group_id, device_id) select m.group_id, new.id from members m join groups g on g.id = m.group_id
            where g.rule = '' and m.device_id = new.claims on conflict do nothing;
    end if;
    if tg_op = 'UPDATE' and old.name_key <> new.name_key then
        delete from group_members g using members m where m.device_id = new.id and g.group_id = m.group_id
            and g.device = old.name_key;
        insert into group_members (group_id, device, certain) select group_id, new.name_key, certain from members
            where device_id = new.id on conflict (group_id, device) do update set certain = excluded.certain;
    end if;
    return null;
end $$;
-- +goose StatementEnd
create trigger put_by_name after insert on group_members referencing new table as fresh for each statement
    when (pg_trigger_depth() = 0) execute function members_by_name();
create trigger changed_by_name after update on group_members referencing new table as fresh for each statement
    when (pg_trigger_depth() = 0) execute function members_by_name();
create trigger taken_by_name after delete on group_members referencing old table as gone for each statement
    when (pg_trigger_depth() = 0) execute function members_by_name();

-- Who was listed by name. Whoever writes by name waits until this is done.
insert into members (group_id, device_id, certain)
    select m.group_id, d.id, m.certain from group_members m join devices d on d.name_key = m.device and d.state = 'live';
insert into expected_names (group_id, name_key)
    select m.group_id, m.device from group_members m join groups g on g.id = m.group_id
    where g.rule = '' and not exists (select 1 from devices d where d.name_key = m.device and d.state = 'live');

create trigger put_names after insert on members referencing new table as fresh for each statement
    when (pg_trigger_depth() = 0) execute function names_of_members();
create trigger changed_names after update on members referencing new table as fresh for each statement
    when (pg_trigger_depth() = 0) execute function names_of_members();
create trigger taken_names after delete on members referencing old table as gone for each statement
    when (pg_trigger_depth() = 0) execute function names_of_members();
create trigger put_expected after insert on expected_names referencing new table as fresh for each statement
    when (pg_trigger_depth() = 0) execute function names_that_are_expected();
create trigger taken_expected after delete on expected_names referencing old table as gone for each statement
    when (pg_trigger_depth() = 0) execute function names_that_are_expected();
create trigger named_device after insert on devices for each row execute function names_of_a_device();
create trigger renamed_device after update of name_key, state on devices for each row
    when (old.name_key <> new.name_key or old.state <> new.state) execute function names_of_a_device();
