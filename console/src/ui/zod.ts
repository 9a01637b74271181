import { z } from "zod";

// The service lets no page make code out of text, and the library would try whether it may.
z.config({ jitless: true });

export { z };
