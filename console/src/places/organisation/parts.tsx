import { useQuery } from "@tanstack/react-query";
import { read } from "@/api/queries";
import { Parts } from "@/ui/parts";

/** The parts of the place Organisation. */
export function OrganisationParts() {
  const session = useQuery(read.session());
  const owner = session.data?.rights.includes("administer");
  return (
    <Parts
      label="Organisation"
      parts={[
        { to: "/organisation/groups", name: "Groups" },
        { to: "/organisation/directory", name: "Directory" },
        ...(owner
          ? [
              { to: "/organisation/facts", name: "Device facts" },
              { to: "/organisation/enrolment", name: "Enrolment" },
              { to: "/organisation/operators", name: "Operators" },
              { to: "/organisation/tokens", name: "API tokens" },
              { to: "/organisation/keys", name: "Keys" },
              { to: "/organisation/notifications", name: "Notifications" },
              { to: "/organisation/settings", name: "Settings" },
            ]
          : []),
      ]}
    />
  );
}
