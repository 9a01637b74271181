-- +goose Up
-- A finding that a later report no longer shows is closed; "settled" is of values alone. What the program before writes meanwhile
-- is written in the new way by a trigger, which goes with the next schema.
alter table findings drop constraint findings_state_check;
alter table findings add constraint findings_state_check check (state in ('open', 'waived', 'closed', 'settled', 'corrected')) not valid;
-- +goose StatementBegin
create function finding_is_closed() returns trigger language plpgsql as $$
begin
    new.state := 'closed';
    return new;
end $$;
-- +goose StatementEnd
create trigger finding_is_closed before insert or update on findings for each row
    when (new.state = 'settled') execute function finding_is_closed();

-- The program that knew the view of reports as a table is two versions back.
drop trigger report_added on reports;
drop trigger report_stays on reports;
drop function report_added(), report_stays();
