/** Says of a password that its account is disabled. */
export function OpensNothing() {
  return (
    <p className="my-1 font-semibold text-held">
      The account is disabled, as the device said last: the password opens nothing.
    </p>
  );
}
