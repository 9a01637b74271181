-- +goose Up

-- What the assignments came to when a desired state was made, so that it can be explained later. Empty for older ones.
alter table desired_states add column scope text not null default '';
alter table desired_states alter column scope drop default;

-- +goose Down
alter table desired_states drop column scope;
