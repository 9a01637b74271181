import { HttpResponse, http } from "msw";
import { setupServer } from "msw/node";

/** A stand-in of the service: each test says what it answers. */
export const service = setupServer();

const at = (path: string) => `*/api/v1/${path}`;

/** Answers a reading. */
export const answers = (path: string, body: object) => http.get(at(path), () => HttpResponse.json(body));

/** Answers what is sent, and hands it on. */
export const takes = (path: string, body: object, hear: (sent: unknown) => void = () => {}) =>
  http.post(at(path), async ({ request }) => {
    hear(await request.json());
    return HttpResponse.json(body);
  });

/** Refuses something. */
export const refuses = (method: "get" | "post", path: string, status: number, detail: string, code = "") =>
  http[method](at(path), () =>
    HttpResponse.json({ type: "about:blank", title: "Refused", status, detail, code }, { status }),
  );
