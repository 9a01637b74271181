import { expect, it } from "vitest";
import { lettersOf } from "./letters";

it("writes names as the directory does, and nothing else", () => {
  const write = lettersOf([
    "Fleet Support@skerryline.example",
    "Support@skerryline.example",
    "asta@skerryline.example",
  ]);
  expect(write("exactly: built-in administrator, fleet support@skerryline.example")).toBe(
    "exactly: built-in administrator, Fleet Support@skerryline.example",
  );
  expect(write("support@skerryline.example and asta@skerryline.example")).toBe(
    "Support@skerryline.example and asta@skerryline.example",
  );
  expect(write("my-support@skerryline.example, support@skerryline.example-old")).toBe(
    "my-support@skerryline.example, support@skerryline.example-old",
  );
  expect(lettersOf([])("fleet support@skerryline.example")).toBe("fleet support@skerryline.example");
});
