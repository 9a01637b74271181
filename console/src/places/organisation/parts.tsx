import { Parts } from "@/ui/parts";

/** The parts of the place Organisation. */
export const OrganisationParts = () => (
  <Parts
    label="Organisation"
    parts={[
      { to: "/organisation/groups", name: "Groups" },
      { to: "/organisation/directory", name: "Directory" },
    ]}
  />
);
