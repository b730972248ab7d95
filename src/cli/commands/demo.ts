import { once } from 'node:events';
import { AmberError } from '../../core/errors.js';
import { promptOutput } from '../context.js';
import { readRequests, type Service, startOffice } from '../demo/office.js';
import { findCheapReturn, nameCheapReturn } from '../demo/walk.js';
import type { Output } from '../render/output.js';

/**
 * `amber demo`: starts the ferry office and walks through finding a fault; `--auto` without waiting for Enter,
 * `--office` only starts the services. Ctrl-C ends what it started. @returns the exit code
 */
export async function demo(options: { auto?: boolean; office?: boolean }): Promise<number> {
  const auto = options.auto === true;
  if (!auto && !options.office && !process.stdin.isTTY) {
    throw new AmberError(
      'AL_USAGE',
      'the walk waits for Enter, so it needs a terminal',
      'amber demo --auto does not',
    );
  }
  const output = promptOutput(false);
  const remark = (why: string) => output.remark(`${why}; the others do without it`);
  const services = await startOffice(
    options.office ? ['fares', 'tides', 'slips', 'desk'] : ['fares'],
    remark,
  );
  const stopAll = () => Promise.all(services.map((service) => service.stop()));
  const interrupt = () => void stopAll().then(() => process.exit(130));
  process.once('SIGINT', interrupt);
  process.once('SIGTERM', interrupt);
  try {
    if (options.office) {
      tellOffice(services, output);
      await once(process, 'exit');
    }
    const [fares] = services;
    if (fares !== undefined) {
      await findCheapReturn(fares, { output, auto });
      await nameCheapReturn(fares, { output, auto });
    }
    return 0;
  } finally {
    await stopAll();
  }
}

function tellOffice(services: readonly Service[], output: Output): void {
  const { palette } = output;
  for (const { name, language, pid, url } of services) {
    output.remark(`\n${palette.strong(name)} (${language}, process ${pid}) listens on ${url}`);
    for (const [request, { says, path, body, form }] of Object.entries(readRequests(name))) {
      output.remark(`  ${palette.value(request)}: ${says}`);
      const text = body ? JSON.stringify(body) : form ? new URLSearchParams(form).toString() : '';
      const sent = text === '' ? '' : ` -d '${text}'`;
      output.remark(palette.faint(`    curl -s '${url}${path}'${sent}`));
    }
  }
  const pids = services.map(({ pid }) => pid).join(' ');
  output.remark(`\n  amber attach ${pids}\n\nCtrl-C ends the office.`);
}
