import { z } from 'zod';
import { pagesOf } from '../../../runtimes/page/browsers.js';
import { LaunchedBrowser } from '../../../runtimes/page/launch.js';
import { pageTarget } from '../../../runtimes/page/target.js';
import { AmberError } from '../../core/errors.js';
import { patient } from '../../core/patience.js';
import { type Target, targetId } from '../../targets/target.js';
import { checkCommands, PromptSession, type SessionCommandOptions } from '../attach-session.js';
import { promptOutput } from '../context.js';
import { openTarget } from '../opening.js';
import { runPrompt } from '../running.js';

const anything = z.unknown();
/** Milliseconds in which a browser has to show its first page, and between two looks. */
const LONGEST = 10_000;
const LOOK_INTERVAL = 20;

/**
 * `amber launch --page URL`: starts a browser with a profile of its own, goes to a page in it, and opens the prompt before
 * the page's first line. The browser ends with the prompt.
 * @returns 0, or the exit code of a failing script
 */
export async function launchPage(url: string, options: SessionCommandOptions): Promise<number> {
  if (!URL.canParse(url)) {
    throw new AmberError(
      'AL_USAGE',
      `${url} is no address`,
      'amber launch --page http://localhost:4003/counter',
    );
  }
  checkCommands(options);
  const output = promptOutput(options.json === true);
  const browser = await LaunchedBrowser.start(process.env);
  const end = () => browser.end();
  process.once('exit', end);
  try {
    const session = new PromptSession(output, options);
    const target = await blankPage(browser);
    const facts = {
      id: targetId(target),
      ...session.bench.freeName('page'),
      runtime: target.runtime,
      folder: session.bench.folders.project,
    };
    const bench = await openTarget(
      session,
      { pid: browser.pid, target, entry: { isTaken: false } },
      facts,
      {},
      output,
    );
    await bench.session.client.request('amberGoTo', { url }, anything);
    await bench.nextStop(0).catch(() => undefined);
    return await runPrompt(session);
  } finally {
    process.off('exit', end);
    end();
  }
}

/** The empty page that the browser begins with: it may come after the port is open. */
async function blankPage(browser: LaunchedBrowser): Promise<Target> {
  for (const until = Date.now() + patient(LONGEST); Date.now() < until; ) {
    const answer = await pagesOf(browser.address).catch(() => undefined);
    const page = answer?.pages.find(({ socket }) => socket !== undefined);
    if (answer !== undefined && page !== undefined) {
      const at = { pid: browser.pid, address: browser.address, folder: '', age: 0, parent: process.pid };
      return pageTarget(page, at, answer.version);
    }
    await new Promise((done) => setTimeout(done, LOOK_INTERVAL));
  }
  throw new AmberError('AL_NO_TARGET', 'the browser has opened no page', 'try again');
}
