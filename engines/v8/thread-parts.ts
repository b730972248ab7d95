import type { Channel } from './channel.js';
import type { Helper } from './helper.js';
import type { Program } from './program.js';
import type { Routes } from './routes.js';
import type { Scripts } from './scripts.js';
import type { Splicer } from './splicer.js';

/** What one thread is made of, for whoever works on it. */
export interface ThreadParts {
  /** The thread's number. */
  id: number;
  channel: Channel;
  program: Program;
  scripts: Scripts;
  helper: Helper;
  splicer: Splicer;
  routes: Routes;
}
