import { Moon, Sun } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";
import { NavLink, useNavigate } from "react-router";
import { reachOf } from "@/api/rights";
import type { Me } from "@/api/types";
import { Chip } from "@/changes/chip";
import { SignInAgain } from "@/domain/again";
import { zone } from "@/domain/time";
import { Tour } from "@/tour/tour";
import { Choice, Choosing, menuTrigger } from "@/ui/menu";
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
  quiet?: string; // since when the service has not been heard; empty while it is
  onLeave?: () => void;
  children: ReactNode;
}

export function Shell({ me, quiet, onLeave, children }: ShellProps) {
  const whole = me && !me.needs_second_factor && !me.must_change_password;
  return (
    <div className="flex min-h-screen flex-col">
      <SignInAgain />
      <a
        href="#content"
        className="sr-only z-30 bg-sheet px-4 py-2 font-semibold focus:not-sr-only focus:absolute focus:top-1 focus:left-1"
      >
        Go to the content
      </a>
      <header className="sticky top-0 z-20 bg-band text-band-ink">
        <div className="flex h-11 items-center gap-4 px-6 max-[900px]:gap-2 max-[900px]:px-3">
          <NavLink
            to="/watch"
            className="flex shrink-0 items-center gap-2 text-lg font-bold whitespace-nowrap hover:no-underline"
          >
            <Mark />
            <span className="max-[640px]:sr-only">Rank Warden</span>
          </NavLink>
          {whole && <Places rights={me.rights} />}
          <div className="grow" />
          {whole && <Chip />}
          {whole && <Palette />}
          <Person me={me} onLeave={onLeave} />
        </div>
        {whole && <Reach roles={me.roles} />}
        {quiet && me && (
          <p role="status" className="bg-red-wash px-6 py-1 font-semibold text-red">
            ○ The service was last heard at {quiet}. What you see is from then; this page tries again by itself.
          </p>
        )}
      </header>
      {whole && <Tour me={me} />}
      <main
        id="content"
        tabIndex={-1}
        className="mx-auto min-h-screen w-full max-w-[1600px] grow px-6 py-5 outline-none max-[900px]:px-3"
      >
        {children}
      </main>
      <footer className="mx-auto w-full max-w-[1600px] px-6 pb-3 text-xs text-second max-[900px]:px-3">
        Times are those of {zone(new Date())}.
      </footer>
    </div>
  );
}

/** Says how far somebody reaches whose every role holds for some groups only. */
function Reach({ roles }: { roles: Me["roles"] }) {
  const groups = reachOf(roles);
  if (groups.length === 0) return null;
  return (
    <p className="border-t border-band-second/30 px-6 py-0.5 text-xs text-band-second max-[900px]:px-3">
      In your reach: {groups.slice(0, 6).join(", ")}
      {groups.length > 6 && ` and ${groups.length - 6} more groups`}. Other devices are not shown, and not counted.
    </p>
  );
}

/** How many places stand in the band of a narrow window; the others are under More. */
const inBand = 7;

/** The places: beside each other where there is room, the last under More, and all in one menu on a narrow page. */
function Places({ rights }: { rights: string[] }) {
  const places = placesOf(rights);
  return (
    <>
      <nav aria-label="Places" className="flex h-11 shrink-0 gap-4 max-[1180px]:hidden">
        {places.map((place, at) => (
          <NavLink
            key={place.to}
            to={place.to}
            className={({ isActive }) =>
              `flex h-full items-center border-b-2 hover:text-band-ink hover:no-underline ${isActive ? "border-brass-bright font-semibold text-band-ink" : "border-transparent text-band-second"} ${at < inBand ? "" : "max-[1500px]:hidden"}`
            }
          >
            {place.name}
          </NavLink>
        ))}
      </nav>
      {places.length > inBand && (
        <PlacesMenu name="More" places={places.slice(inBand)} className="max-[1180px]:hidden min-[1500px]:hidden" />
      )}
      <PlacesMenu name="Places" places={places} className="min-[1180px]:hidden" />
    </>
  );
}

type PlacesMenuProps = { name: string; places: { to: string; name: string }[]; className: string };

function PlacesMenu({ name, places, className }: PlacesMenuProps) {
  const navigate = useNavigate();
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className={`${menuTrigger} px-0 text-band-second hover:text-band-ink ${className}`}>
        {name}
      </DropdownMenu.Trigger>
      <Choosing align="start">
        {places.map((place) => (
          <Choice key={place.to} onSelect={() => navigate(place.to)}>
            {place.name}
          </Choice>
        ))}
      </Choosing>
    </DropdownMenu.Root>
  );
}

/** Whoever is signed in, with what concerns them alone. Without anybody there is the choice of colours only. */
function Person({ me, onLeave }: { me: Me | undefined; onLeave: (() => void) | undefined }) {
  const [theme, toggleTheme] = useTheme();
  const navigate = useNavigate();
  const other = theme === "dark" ? "Use light colours" : "Use dark colours";
  if (!me) {
    return (
      <button type="button" onClick={toggleTheme} title={other} className="p-1">
        {theme === "dark" ? <Sun className="size-4" /> : <Moon className="size-4" />}
        <span className="sr-only">{other}</span>
      </button>
    );
  }
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        aria-label={`${me.name}: your sign-in, colours, sign out`}
        className={`${menuTrigger} shrink-0 px-0 text-band-second hover:text-band-ink`}
      >
        <span className="max-w-32 truncate">{me.name}</span>
      </DropdownMenu.Trigger>
      <Choosing>
        <Choice onSelect={() => navigate("/me")}>Your sign-in</Choice>
        <Choice onSelect={toggleTheme}>{other}</Choice>
        {onLeave && <Choice onSelect={onLeave}>Sign out {me.name}</Choice>}
      </Choosing>
    </DropdownMenu.Root>
  );
}
