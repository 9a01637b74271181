import "@testing-library/jest-dom/vitest";
import { cleanup, configure } from "@testing-library/react";
import { afterAll, afterEach, beforeAll } from "vitest";
import { service } from "./service";

configure({ asyncUtilTimeout: 120_000 }); // what is waited for comes, on a busy machine late

beforeAll(() => service.listen({ onUnhandledRequest: "error" }));
afterEach(() => {
  cleanup();
  service.resetHandlers();
});
afterAll(() => service.close());

// What jsdom does not have.
globalThis.ResizeObserver = class {
  observe() {}
  unobserve() {}
  disconnect() {}
};
Element.prototype.scrollIntoView = () => {};
