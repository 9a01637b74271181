-- +goose Up
-- What becomes of the files of an account that an order removes.
alter table orders add column files text not null default '' check (files in ('', 'keep', 'move'));
create index findings_left_behind on findings (device_id) where kind = 'account_left_behind';

-- +goose Down
drop index findings_left_behind;
alter table orders drop column files;
