-- +goose Up

-- Reverted rollouts whose devices give back what the change took away.
alter table rollouts add column give_back boolean not null default false;
alter table rollouts alter column give_back drop default;
create index rollouts_give_back on rollouts (ended_at) where give_back;

-- +goose Down
alter table rollouts drop column give_back;
