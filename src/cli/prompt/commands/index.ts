import type { PromptCommand } from '../command.js';
import { cellCommands } from './cells.js';
import { frameCommands } from './frames.js';
import { lookCommands } from './look.js';
import { markCommands } from './marks.js';
import { moveCommands } from './move.js';
import { reloadCommands } from './reload.js';
import { requestCommands } from './requests.js';
import { sessionCommands } from './session.js';
import { sourceCommands } from './sources.js';
import { watchCommands } from './watch.js';

/** Every command of the prompt, in the order of `help`. */
export const promptCommands: readonly PromptCommand[] = [
  ...markCommands,
  ...moveCommands,
  ...reloadCommands,
  ...frameCommands,
  ...sourceCommands,
  ...cellCommands,
  ...lookCommands,
  ...watchCommands,
  ...requestCommands,
  ...sessionCommands,
];
