/** Kinds of events that somebody should look at. */
export const alarming = new Set([
  "guard_refused",
  "repeatedly_reverted",
  "password_foreign",
  "rotation_failed",
  "account_locked",
  "device_restored",
]);
