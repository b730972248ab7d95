import { node } from '../runtimes/node/test/service.js';
import { page } from '../runtimes/page/test/service.js';
import { php } from '../runtimes/php/test/service.js';
import { python } from '../runtimes/python/test/service.js';
import { ruby } from '../runtimes/ruby/test/service.js';
import type { Runtime } from './fixture.js';

/** Every runtime that the suite is run against: one line each, and a file beside. */
export const runtimes: readonly Runtime[] = [python, ruby, php, node, page];
