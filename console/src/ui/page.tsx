import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect } from "react";
import { Link } from "react-router";
import { Refusal } from "@/api/client";
import { TextButton } from "./button";

/** What the browser's tab and history call the page. */
export function useTitle(title: string) {
  useEffect(() => {
    document.title = `${title} · Rank Warden`;
  }, [title]);
}

type PageHeadProps = { title: ReactNode; tab: string; note?: ReactNode; children?: ReactNode };

/** The head of a page; the tab is what the browser calls it. A note that is not known yet is empty, and keeps its line. */
export function PageHead({ title, tab, note, children }: PageHeadProps) {
  useTitle(tab);
  return (
    <div className="mb-4 flex flex-wrap items-end gap-x-4 gap-y-2">
      <div className="min-w-72 flex-1">
        <h1 className="text-xl leading-8 font-bold">{title}</h1>
        {note !== undefined && <p className="min-h-5 text-second">{note}</p>}
      </div>
      {children && <div className="flex flex-wrap items-center gap-2">{children}</div>}
    </div>
  );
}

/** A column of the page beside the main one, under a strong line. */
export function Aside({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="mb-6 border-t-2 border-ink pt-2">
      <h2 className="mb-2 font-bold">{title}</h2>
      {children}
    </section>
  );
}

/** What went wrong. Where the service did not answer, what the page could not read can be read again at once. */
export function Trouble({ error }: { error: Error }) {
  const queries = useQueryClient();
  const status = error instanceof Refusal ? error.status : -1;
  if (status === 401) return null; // the sign-in is asked for on top of the page
  const again = () => queries.refetchQueries({ predicate: (query) => query.state.status === "error" });
  return (
    <div role="alert" className="my-4 border-l-4 border-red bg-red-wash px-4 py-2 whitespace-pre-line">
      {error.message}
      {status === 0 && (
        <TextButton onClick={again} className="ml-3">
          Read again
        </TextButton>
      )}
    </div>
  );
}

/** Words of the service as a sentence of their own. */
export const sentence = (words: string) => `${words.slice(0, 1).toUpperCase()}${words.slice(1).replace(/\.?$/, ".")}`;

type NotThereProps = { what: string; to: string; children: ReactNode };

/** Says that what an address names is not there, with a way on. */
export function NotThere({ what, to, children }: NotThereProps) {
  useTitle("Not there");
  return (
    <div className="py-8">
      <h1 className="text-xl font-bold">{what}</h1>
      <p className="mt-2 text-second">It may have another name now, be out of your reach, or never have been.</p>
      <p className="mt-2 font-semibold">
        <Link to={to} className="text-brass">
          {children}
        </Link>
      </p>
    </div>
  );
}

export function Loading() {
  return (
    <p role="status" className="py-8 text-second">
      Reading …
    </p>
  );
}

export function Nothing({ children }: { children: ReactNode }) {
  return <p className="py-8 text-second">{children}</p>;
}
