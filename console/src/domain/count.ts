const format = new Intl.NumberFormat("en");

/** A count, with a comma between thousands. The language of the browser does not mix in. */
export const counted = (n: number) => format.format(n);

/** A number of things, in words: 1 device, 12 devices. */
export const numberOf = (n: number, one: string) => `${n} ${one}${n === 1 ? "" : "s"}`;

export const devices = (n: number) => numberOf(n, "device");
