import { buildRequest, parseRequest } from '../../../core/requests/request.js';
import { responseSoFarText } from '../../render/response.js';
import { type PromptCommand, readWait } from '../command.js';
import type { Workbench } from '../workbench.js';
import { vars } from './look.js';

async function send(bench: Workbench, rest: string): Promise<void> {
  const named = bench.project?.file.settings.requests[rest.trim()];
  const spec = named ? buildRequest(named) : parseRequest(rest);
  bench.requests.send(spec);
  bench.output.remark(bench.output.palette.faint(`▸ ${spec.method} ${spec.url}`));
}

/** `wait response [SECONDS]`. @throws AmberError `AL_WAIT` */
export async function waitResponse(bench: Workbench, rest: string): Promise<void> {
  await bench.requests.next(readWait(rest, 'wait response'), bench.interruption.signal);
}

async function response(bench: Workbench): Promise<void> {
  if (!bench.stop.tellsResponse) {
    await vars(bench, 'response');
    return;
  }
  const soFar = await bench.stop.response();
  bench.output.tell({ kind: 'response-so-far', ...soFar }, () => responseSoFarText(soFar, bench.context));
}

export const requestCommands: PromptCommand[] = [
  {
    name: 'response',
    usage: '',
    summary: 'what the paused request has answered so far: status, headers, body',
    completes: 'none',
    run: response,
  },
  {
    name: 'send',
    usage: '[METHOD] URL [BODY] | NAME',
    summary: 'send a request and keep the prompt; the response is shown when it comes',
    details: [
      'Without a METHOD it is GET, with a BODY it is POST. A body that is JSON, or a=b&c=d, says so by itself.',
      'NAME is a request in amber.yaml.',
      'Each request has a trace context of its own (the header traceparent).',
      '',
      'example: send localhost:8000/quotes {"from": "Skerrow", "to": "Holm"}',
    ].join('\n'),
    completes: 'none',
    run: send,
  },
];
