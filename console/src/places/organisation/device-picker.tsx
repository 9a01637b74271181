import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useId, useState } from "react";
import { read } from "@/api/queries";

/** Finds devices by any fact, and adds one by one. */
export function DevicePicker({ add }: { add: (device: string) => void }) {
  const id = useId();
  const [text, setText] = useState("");
  const found = useQuery({ ...read.devicesLike(text.trim()), placeholderData: keepPreviousData });
  const devices = text.trim() ? (found.data?.items ?? []) : [];
  return (
    <div>
      <label htmlFor={id} className="text-second">
        Search and pick
      </label>
      <input
        id={id}
        value={text}
        placeholder="Name, serial or model of a device"
        onChange={(event) => setText(event.target.value)}
        className="w-full rounded-sm border border-second bg-paper px-2 py-1"
      />
      {devices.length > 0 && (
        <ul className="mt-1 flex flex-wrap gap-1" aria-label="Found devices">
          {devices.map((d) => (
            <li key={d.id}>
              <button
                type="button"
                onClick={() => add(d.name)}
                className="rounded-sm border border-hairline px-1.5 font-mono text-sm hover:border-ink"
              >
                <span className="sr-only">Add </span>+ {d.name}
              </button>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
