import { z } from 'zod';
import { attachFields } from '../arguments.js';

/** Arguments of `attach` for a Node program. */
export const attachSchema = z.object({
  ...attachFields,
  /** The WebSocket of the program's inspector. */
  url: z.string().optional(),
  /** The process, whose inspector is opened where nobody has opened it yet. */
  pid: z.number().int().optional(),
  /** Whether the inspector was opened for this session and is to be closed after it. */
  closeAtDetach: z.boolean().optional(),
});
