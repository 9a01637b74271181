-- +goose Up
-- What comes back again and again is called by its plain name.
alter table devices rename column contended to repeatedly_reverted;
update device_events set kind = 'repeatedly_reverted' where kind = 'fought_over';

-- +goose Down
update device_events set kind = 'fought_over' where kind = 'repeatedly_reverted';
alter table devices rename column repeatedly_reverted to contended;
