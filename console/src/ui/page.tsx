import { type ReactNode, useEffect } from "react";
import { Refusal } from "@/api/client";

/** What the browser's tab and history call the page. */
export function useTitle(title: string) {
  useEffect(() => {
    document.title = `${title} · Rank Warden`;
  }, [title]);
}

type PageHeadProps = { title: ReactNode; tab: string; note?: ReactNode; children?: ReactNode };

/** The head of a page; the tab is what the browser calls it. */
export function PageHead({ title, tab, note, children }: PageHeadProps) {
  useTitle(tab);
  return (
    <div className="mb-4 flex items-end gap-4">
      <div className="min-w-0 grow">
        <h1 className="text-xl leading-8 font-bold">{title}</h1>
        {note && <p className="text-second">{note}</p>}
      </div>
      {children && <div className="flex shrink-0 items-center gap-2">{children}</div>}
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

export function Trouble({ error }: { error: Error }) {
  const status = error instanceof Refusal ? error.status : 0;
  if (status === 401) return null; // the sign-in is asked for on top of the page
  return (
    <div role="alert" className="my-4 border-l-4 border-red bg-red-wash px-4 py-2 whitespace-pre-line">
      {error.message}
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
