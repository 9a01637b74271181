import { Parts } from "@/ui/parts";

/** The parts of the place Policies. */
export const PolicyParts = () => (
  <Parts
    label="Policies"
    parts={[
      { to: "/policies", name: "Policies" },
      { to: "/assignments", name: "Assignments" },
    ]}
  />
);
