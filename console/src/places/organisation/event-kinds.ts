/** The kinds of events that a target can be told of, in the order of a form. */
export const eventKinds: { kind: string; words: string }[] = [
  { kind: "finding_opened", words: "a finding was opened" },
  { kind: "finding_corrected", words: "a device corrected a finding" },
  { kind: "finding_closed", words: "a finding is gone" },
  { kind: "device_held", words: "a device has held settings" },
  { kind: "device_silent", words: "a device is silent" },
  { kind: "rollout_stopped", words: "a rollout was stopped by its gate" },
  { kind: "database_returned", words: "the database went back" },
  { kind: "service_frozen", words: "settling or rollouts are frozen or thawed" },
  { kind: "edit_braked", words: "an import or facts wait for a decision" },
  { kind: "administrators_altered", words: "administrators were altered" },
  { kind: "accounts_altered", words: "a policy made, took over, disabled or removed an account" },
  { kind: "contested_by_somebody", words: "somebody contests who gets in" },
  { kind: "approval_asked", words: "a second person is asked" },
  { kind: "approved", words: "a second person approved" },
  { kind: "refused", words: "a second person refused" },
  { kind: "password_viewed", words: "somebody viewed a password" },
  { kind: "attempt_refused", words: "somebody was refused" },
  { kind: "sealed_owner_used", words: "the sealed owner signed in" },
  { kind: "checkpoint_signed", words: "a checkpoint of the trail was signed" },
  { kind: "trail_broken", words: "the trail was altered" },
  { kind: "trail_entry", words: "every entry of the trail" },
];

export const eventWords = (kind: string) =>
  kind === "test_sent" ? "test" : (eventKinds.find((e) => e.kind === kind)?.words ?? kind);
