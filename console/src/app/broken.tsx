import { Component, type ReactNode } from "react";
import { Button } from "@/ui/button";
import { Outdated } from "@/ui/outdated";

/** Says so when a page cannot be drawn, or has gone with an upgrade of the service; the rest stays usable. */
export class Broken extends Component<{ children: ReactNode }, { error?: Error }> {
  state: { error?: Error } = {};

  static getDerivedStateFromError(error: unknown) {
    return { error: error instanceof Error ? error : new Error(String(error)) };
  }

  render() {
    const { error } = this.state;
    if (!error) return this.props.children;
    const upgraded = error instanceof Outdated;
    return (
      <div role="alert" className="m-6 border-l-4 border-red bg-red-wash px-4 py-3">
        <p className="font-semibold">
          {upgraded ? "This part of the console could not be loaded." : "This page could not be displayed."}
        </p>
        <p className="mb-3">
          {upgraded
            ? "The service was probably upgraded since you opened the page. Reload the page."
            : `Load it again; if it stays, tell whoever runs the service: ${error.message}`}
        </p>
        <Button primary onClick={() => location.reload()}>
          Load again
        </Button>
      </div>
    );
  }
}
