-- +goose Up
-- The same thing has the same name everywhere: approvals, and findings that the device corrected.
alter table agreements rename to approvals;
alter table approvals rename column agreed to approved;
alter index agreements_device rename to approvals_device;
alter table findings drop constraint findings_state_check;
update findings set state = 'corrected' where state = 'put_right';
alter table findings add constraint findings_state_check check (state in ('open', 'settled', 'corrected'));

-- +goose Down
alter table findings drop constraint findings_state_check;
update findings set state = 'put_right' where state = 'corrected';
alter table findings add constraint findings_state_check check (state in ('open', 'settled', 'put_right'));
alter index approvals_device rename to agreements_device;
alter table approvals rename column approved to agreed;
alter table approvals rename to agreements;
