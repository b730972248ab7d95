import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline/promises';
import { AmberError } from '../../core/errors.js';
import { connectTo } from '../../targets/connect.js';
import { readDescription } from '../../targets/description.js';
import { runFolder } from '../../targets/run-folder.js';
import { PromptSession } from '../attach-session.js';
import { contrast } from '../commands/contrast.js';
import { promptOutput } from '../context.js';
import { runLine } from '../prompt/interpreter.js';
import type { Output } from '../render/output.js';
import { DEMO_FOLDER, type DemoRequest, readRequests, type Service, sendRequest } from './office.js';

/** What the walk tells, runs and waits for. Without a person (`auto`) nothing is waited for. */
export interface Guide {
  output: Output;
  auto: boolean;
}

/**
 * The walk that finds the first fault: a return trip with a child costs less than a single. Every command in
 * it is really run on the running service.
 * @throws AmberError `AL_DEFECT` when the walk does not come to its end
 */
export async function findCheapReturn(fares: Service, guide: Guide): Promise<void> {
  const requests = readRequests('fares');
  const { output } = guide;
  const faint = output.palette.faint;
  output.remark(`The fares service runs at ${fares.url} (process ${fares.pid}). Customers say:`);
  output.remark(output.palette.strong('  “A return trip with a child is cheaper than a single.”\n'));
  const single = await ask(fares, requests['good-single'], guide);
  const faulty = await ask(fares, requests['return-with-child'], guide);
  if (!(faulty < single)) {
    throw new AmberError('AL_DEFECT', `the fault is not there: ${faulty} against ${single}`);
  }
  await turn(
    guide,
    'So it is. The price of each leg is made in passenger_lines. Stop there when one is negative:',
  );

  const opened = await openFares(fares, guide);
  try {
    await command(opened, `break quotes.py:${lineWith('fares/quotes.py', ', back" % kind')} when leg < 0`);
    output.remark(faint('(the request is sent again; everybody else’s requests go through)\n'));
    const late = ask(fares, requests['return-with-child'], guide);
    const other = await ask(fares, requests['good-return'], guide);
    if (!(other > 0)) {
      throw new AmberError('AL_DEFECT', 'the other request was not answered');
    }
    await command(opened, 'wait 10');
    await turn(
      guide,
      'The leg back of the child is below zero, and discount is 5: a part of the price cannot be that.',
    );
    await command(opened, '= single * (1 - discount)');
    await command(opened, '= DISCOUNTS');
    await turn(
      guide,
      'The other discounts are parts of one. This one was written as 5, not 5%. Try the right value here:',
    );
    await command(opened, "assign discount = Decimal('0.05')");
    await command(opened, 'assign leg = single * (1 - discount)');
    await command(opened, 'drop 1');
    await command(opened, 'resume');
    const fixed = await late;
    if (!(fixed > single)) {
      throw new AmberError('AL_DEFECT', `the walk did not mend the price: ${fixed}`);
    }
    await command(opened, 'detach');
  } finally {
    await opened.bench.detachAll();
    opened.close();
  }
  output.remark(
    `\nFound: ${output.palette.strong('demo/data/discounts.csv')} says ${output.palette.value('return-child,5')} where the others say 10%;`,
  );
  output.remark('read_discounts in demo/fares/tables.py takes it as five times the price.');
  output.remark(faint('The service has gone on all the while, and nothing of amber is left in it.'));
}

/**
 * The second act: the same fault, named by one command that knows only which requests are good and which is faulty.
 * @throws AmberError `AL_DEFECT` when nothing tells them apart
 */
export async function nameCheapReturn(fares: Service, guide: Guide): Promise<void> {
  const { output } = guide;
  await turn(
    guide,
    'Nobody has to know where to stop. Given requests of both kinds, one command says where they part:',
  );
  const requests = Object.fromEntries(
    Object.entries(readRequests('fares')).map(([name, { method, path, body, form }]) => [
      name,
      { method, url: `${fares.url}${path}`, ...(body ? { body } : {}), ...(form ? { form } : {}) },
    ]),
  );
  const kinds = { good: ['good-single', 'good-return'], faulty: ['return-with-child'] };
  const words = Object.entries(kinds).flatMap(([kind, names]) => names.map((name) => `--${kind} ${name}`));
  output.remark(output.palette.faint(`$ amber contrast ${fares.pid} ${words.join(' ')} --times 3\n`));
  const trail = join(mkdtempSync(join(tmpdir(), 'amber-demo-')), 'contrast.ndjson');
  const here = process.cwd();
  // The project whose code is looked at.
  process.chdir(DEMO_FOLDER);
  const found = await contrast([`${fares.pid}`], {
    ...kinds,
    times: '3',
    trail,
    requests,
    exitCode: true,
  }).finally(() => process.chdir(here));
  if (found !== 1) {
    throw new AmberError('AL_DEFECT', 'nothing told the faulty request from the good ones');
  }
  output.remark(
    '\nThe line that reads the discount is named first, and the row of the file that it has read is among the next.',
  );
}

async function openFares(fares: Service, { output }: Guide): Promise<PromptSession> {
  const description = readDescription(runFolder(process.env), fares.pid);
  if (description === undefined) {
    throw new AmberError('AL_NO_AGENT', 'the fares service came up without its agent');
  }
  output.remark(output.palette.faint(`$ amber attach ${fares.pid}`));
  const session = new PromptSession(promptOutput(output.json), {});
  await session.open({
    connect: () => connectTo(description),
    target: { id: `python:${fares.pid}`, name: 'fares', runtime: 'python', folder: `${DEMO_FOLDER}/fares` },
    attach: {},
  });
  return session;
}

async function command(opened: PromptSession, line: string): Promise<void> {
  const { bench } = opened;
  bench.output.remark(`${bench.output.palette.strong('amber>')} ${line}`);
  const error = await runLine(bench, line);
  if (error !== undefined) {
    throw new AmberError('AL_DEFECT', `the walk stopped at \`${line}\`: ${error.message}`);
  }
}

/** The number of the line of a demo file that holds `text`. */
function lineWith(file: string, text: string): number {
  const lines = readFileSync(join(DEMO_FOLDER, file), 'utf8').split('\n');
  return lines.findIndex((line) => line.includes(text)) + 1;
}

/** Sends a request and tells its price; gives the price. */
async function ask(fares: Service, request: DemoRequest | undefined, { output }: Guide): Promise<number> {
  if (request === undefined) {
    throw new AmberError('AL_DEFECT', 'a request of the demo is missing');
  }
  const { status, body } = await sendRequest(fares, request);
  const total = String(body.total ?? body.error);
  output.remark(
    `  ${request.method} ${request.path}  ${request.says}: ${status}, ${output.palette.value(total)}`,
  );
  return Number(total);
}

async function turn({ output, auto }: Guide, text: string): Promise<void> {
  output.remark(`\n${text}`);
  if (!auto) {
    const reader = createInterface({ input: process.stdin, output: process.stdout });
    await reader.question(output.palette.faint('(Enter goes on) '));
    reader.close();
  }
  output.remark('');
}
