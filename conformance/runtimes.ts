import type { Runtime } from './fixture.js';
import { node } from './runtimes/node.js';
import { php } from './runtimes/php.js';
import { python } from './runtimes/python.js';
import { ruby } from './runtimes/ruby.js';

/** Every runtime that the suite is run against: one line each, and a file beside. */
export const runtimes: readonly Runtime[] = [python, ruby, php, node];
