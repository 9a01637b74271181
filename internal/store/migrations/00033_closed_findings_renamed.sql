-- +goose NO TRANSACTION
-- +goose Up
-- One part after the other, so that no lock is held for long. Closed findings do not change, so nobody waits for them. A cut
-- between two parts is gone on from. What was told of them stays told.
-- +goose StatementBegin
do $$
declare
    part text;
begin
    for part in select i.inhrelid::regclass::text from pg_inherits i where i.inhparent = 'findings'::regclass loop
        execute format('update %s set state = ''closed'', told = case told when ''settled'' then ''closed'' else told end
            where state = ''settled'' and closed_at is not null', part);
        commit;
    end loop;
end $$;
-- +goose StatementEnd
alter table findings validate constraint findings_state_check;
