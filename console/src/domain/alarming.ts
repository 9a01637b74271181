/** Kinds of events that somebody should look at. */
export const alarming = new Set([
  "guard_refused",
  "fought_over",
  "password_foreign",
  "rotation_failed",
  "account_locked",
  "device_restored",
]);
