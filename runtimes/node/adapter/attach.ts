import { z } from 'zod';
import { attachFields } from '../../../src/adapters/arguments.js';

/** Arguments of `attach` for a Node program. */
export const attachSchema = z.object({
  ...attachFields,
  /** The process. */
  pid: z.number().int().optional(),
  /** The address of its inspector, where that is open and cannot be found by the pid. */
  url: z.string().optional(),
  /** For how long new requests may be held at a time, and how often for one set of marks; 0: never. */
  hold: z.object({ milliseconds: z.number().optional(), times: z.number().optional() }).optional(),
  /** `false`: as in an engine that changes no code that runs. For tests of what is left then. */
  liveEdit: z.boolean().optional(),
});
