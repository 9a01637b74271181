/** The words of the ICAO spelling alphabet (Annex 10, volume II). */
const letters =
  "Alfa Bravo Charlie Delta Echo Foxtrot Golf Hotel India Juliett Kilo Lima Mike November Oscar Papa Quebec Romeo Sierra Tango Uniform Victor Whiskey X-ray Yankee Zulu".split(
    " ",
  );

const digits = "zero one two three four five six seven eight nine".split(" ");

const signs: Record<string, string> = {
  " ": "space",
  "!": "exclamation mark",
  '"': "double quote",
  "#": "hash",
  $: "dollar",
  "%": "percent",
  "&": "ampersand",
  "'": "apostrophe",
  "(": "opening bracket",
  ")": "closing bracket",
  "*": "asterisk",
  "+": "plus",
  ",": "comma",
  "-": "hyphen",
  ".": "full stop",
  "/": "slash",
  ":": "colon",
  ";": "semicolon",
  "<": "less than",
  "=": "equals",
  ">": "greater than",
  "?": "question mark",
  "@": "at",
  "[": "opening square bracket",
  "\\": "backslash",
  "]": "closing square bracket",
  "^": "caret",
  _: "underscore",
  "`": "grave accent",
  "{": "opening curly bracket",
  "|": "vertical bar",
  "}": "closing curly bracket",
  "~": "tilde",
};

/** How one says a character, so that nobody takes it for another. */
export function spelled(char: string): string {
  const letter = letters[char.toLowerCase().charCodeAt(0) - 97];
  if (/^[a-z]$/i.test(char) && letter) return char === char.toLowerCase() ? letter.toLowerCase() : `capital ${letter}`;
  if (/^[0-9]$/.test(char)) return digits[Number(char)] ?? char;
  return signs[char] ?? char;
}

/** A password in the groups that one reads: its words, or four characters each. */
export function groupsOf(password: string): string[] {
  if (/^[a-z]{3,}([^a-zA-Z0-9][a-z0-9]+){2,}$/i.test(password)) return password.match(/[a-z0-9]+[^a-z0-9]?/gi) ?? [];
  return password.match(/.{1,4}/gsu) ?? [];
}
