/** A part of the console is not there any more: the service was upgraded since the page was opened. */
export class Outdated extends Error {}

/** Loads a part of the console; where that fails, the part has gone with an upgrade. */
export async function part<T>(load: Promise<T>): Promise<T> {
  try {
    return await load;
  } catch (cause) {
    throw new Outdated("a part of the console could not be loaded", { cause });
  }
}
