import { NavLink } from "react-router";

const parts = [
  { to: "/organisation/groups", name: "Groups" },
  { to: "/organisation/directory", name: "Directory" },
];

/** The parts of the place Organisation. */
export function OrganisationParts() {
  return (
    <nav aria-label="Organisation" className="mb-3 flex gap-5 border-b border-hairline">
      {parts.map((part) => (
        <NavLink
          key={part.to}
          to={part.to}
          className={({ isActive }) =>
            `-mb-px border-b-2 py-1 hover:no-underline ${isActive ? "border-brass font-semibold" : "border-transparent text-second hover:text-ink"}`
          }
        >
          {part.name}
        </NavLink>
      ))}
    </nav>
  );
}
