const format = new Intl.NumberFormat("en");

/** A count, with a comma between thousands. The language of the browser does not mix in. */
export const counted = (n: number) => format.format(n);
