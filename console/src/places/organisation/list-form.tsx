import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { change } from "@/api/changes";
import { read } from "@/api/queries";
import type { Group } from "@/api/types";
import { useAddEdit } from "@/changes/use-add-edit";
import { namesIn } from "@/domain/tabular";
import { Button } from "@/ui/button";
import { TextArea, TextField } from "@/ui/field";
import { Aside, Trouble } from "@/ui/page";
import { DevicePicker } from "./device-picker";
import { Faults } from "./faults";

/** A group whose devices are listed: a new one, or what an existing one is to be. */
export function ListForm({ group }: { group: Group | undefined }) {
  const listed = useQuery({ ...read.groupList(group?.name ?? ""), enabled: group !== undefined });
  if (group && !listed.data) return listed.error ? <Trouble error={listed.error} /> : null;
  return <Form key={group?.version ?? 0} group={group} names={listed.data ?? []} />;
}

function Form({ group, names: before }: { group: Group | undefined; names: string[] }) {
  const adding = useAddEdit();
  const [name, setName] = useState(group?.name ?? "");
  const [description, setDescription] = useState(group?.description ?? "");
  const [text, setText] = useState(before.join("\n"));
  const { names, faults } = namesIn(text);
  const checking = useMutation({ mutationFn: () => change.matchDevices(names) });
  const validName = /^[a-z0-9][a-z0-9-]{0,62}$/.test(name);
  const changed = !group || description !== (group.description ?? "") || names.join("\n") !== before.join("\n");
  const submit = () =>
    adding.add([{ kind: "group", name, based_on: group?.version ?? 0, group: { description, devices: names } }]);
  const file = async (chosen: File | undefined) => chosen && setText(await chosen.text());
  return (
    <Aside title={group ? `Devices of ${group.name}` : "New listed group"}>
      <div className="space-y-2">
        {!group && (
          <TextField
            quiet
            label="Name"
            className="font-mono"
            value={name}
            onChange={(event) => setName(event.target.value)}
            problem={name && !validName ? "Use 1 to 63 characters of a-z, 0-9 and -, not beginning with -." : undefined}
          />
        )}
        <TextField
          quiet
          label="Description"
          value={description}
          onChange={(event) => setDescription(event.target.value)}
        />
        <DevicePicker add={(device) => setText((t) => `${t.trimEnd()}${t.trim() ? "\n" : ""}${device}`)} />
        <TextArea
          quiet
          label="Names, one a line, or a table with a column device"
          rows={8}
          className="font-mono text-sm"
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        <Faults faults={faults} />
        <label className="block text-second">
          Or read a CSV file
          <input
            type="file"
            accept=".csv,text/csv,text/plain"
            className="mt-1 block w-full text-sm"
            onChange={(event) => file(event.target.files?.[0])}
          />
        </label>
        <div className="flex gap-2">
          <Button onClick={() => checking.mutate()} disabled={names.length === 0 || checking.isPending}>
            Check names
          </Button>
          <Button primary onClick={submit} disabled={!validName || !changed || faults.length > 0 || adding.busy}>
            Add to the change
          </Button>
        </div>
        {checking.error && <Trouble error={checking.error} />}
        {checking.data && (
          <p role="status">
            {checking.data.enrolled} of {names.length} {names.length === 1 ? "name is" : "names are"} enrolled.
            {checking.data.unknown.length > 0 && (
              <span className="text-held">
                {" "}
                Not yet: {checking.data.unknown.slice(0, 8).join(", ")}
                {checking.data.enrolled + 8 < names.length && " …"}. They join when they enrol.
              </span>
            )}
          </p>
        )}
        {adding.error && <Trouble error={adding.error} />}
      </div>
      {adding.dialog}
    </Aside>
  );
}
