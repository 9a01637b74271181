import { LogOut, Moon, Sun } from "lucide-react";
import type { ReactNode } from "react";
import { NavLink } from "react-router";
import type { Me } from "@/api/types";
import { Tray } from "@/changes/tray";
import { SignInAgain } from "@/domain/again";
import { Tour } from "@/tour/tour";
import { Palette } from "./palette";
import { placesOf } from "./places";
import { useTheme } from "./theme";

function Mark() {
  return (
    <svg
      viewBox="0 0 16 16"
      className="size-5 text-brass-bright"
      fill="none"
      stroke="currentColor"
      strokeWidth="1.6"
      aria-hidden="true"
    >
      <path d="M3.5 1v14M12.5 1v14M3.5 4h9M3.5 8h9M3.5 12h9" />
    </svg>
  );
}

interface ShellProps {
  me: Me | undefined;
  connected: boolean;
  onLeave?: () => void;
  children: ReactNode;
}

export function Shell({ me, connected, onLeave, children }: ShellProps) {
  const [theme, toggleTheme] = useTheme();
  return (
    <div className="flex min-h-screen flex-col">
      <SignInAgain />
      <a
        href="#content"
        className="sr-only z-30 bg-sheet px-4 py-2 font-semibold focus:not-sr-only focus:absolute focus:top-1 focus:left-1"
      >
        Go to the content
      </a>
      <header className="sticky top-0 z-20 flex h-11 items-center gap-6 bg-band px-6 text-band-ink">
        <NavLink to="/watch" className="flex items-center gap-2 text-lg font-bold whitespace-nowrap hover:no-underline">
          <Mark />
          Rank Warden
        </NavLink>
        <nav aria-label="Places" className="flex h-full gap-4">
          {placesOf(me?.rights ?? []).map((place) => (
            <NavLink
              key={place.to}
              to={place.to}
              className={({ isActive }) =>
                `flex h-full items-center border-b-2 hover:text-band-ink hover:no-underline ${isActive ? "border-brass-bright font-semibold text-band-ink" : "border-transparent text-band-second"}`
              }
            >
              {place.name}
            </NavLink>
          ))}
        </nav>
        <div className="grow" />
        {!connected && me && (
          <span role="status" className="text-brass-bright">
            ○ not live, reconnecting
          </span>
        )}
        {me && !me.needs_second_factor && <Tray />}
        {me && !me.needs_second_factor && <Palette />}
        <button type="button" onClick={toggleTheme} title={theme === "dark" ? "Light" : "Dark"} className="p-1">
          {theme === "dark" ? <Sun className="size-4" /> : <Moon className="size-4" />}
          <span className="sr-only">{theme === "dark" ? "Use light colours" : "Use dark colours"}</span>
        </button>
        {me && (
          <span className="flex items-center gap-2 text-band-second">
            <NavLink to="/me" title="Your sign-in" className="max-w-40 truncate hover:text-band-ink hover:no-underline">
              {me.name}
            </NavLink>
            <button type="button" onClick={onLeave} title={`Sign out ${me.name}`} className="hover:text-band-ink">
              <LogOut className="size-4" />
              <span className="sr-only">Sign out</span>
            </button>
          </span>
        )}
      </header>
      {me && !me.needs_second_factor && <Tour me={me} />}
      <main id="content" tabIndex={-1} className="mx-auto w-full max-w-[1600px] grow px-6 py-5 outline-none">
        {children}
      </main>
    </div>
  );
}
