import { AmberError } from '../../../core/errors.js';
import { sourceAround } from '../../../core/session/stop-report.js';
import { findFile } from '../../../core/source/find.js';
import { sourceLines } from '../../render/stop-card.js';
import { stackTable } from '../../render/tables.js';
import { shortPath } from '../../render/text.js';
import { type PromptCommand, readNumber } from '../command.js';
import type { Workbench } from '../workbench.js';
import { namelessSource } from './sources.js';
import { showWatches } from './watch.js';

async function stack(bench: Workbench, rest: string): Promise<void> {
  const frames = await bench.stop.frames();
  const selected = bench.frameIndex;
  const all = rest.trim() === 'all';
  const record = {
    kind: 'stack' as const,
    selected,
    frames: frames.map((frame, index) => ({
      index,
      name: frame.name,
      file: frame.source?.path ?? null,
      line: frame.line,
      foreign: frame.presentationHint === 'subtle',
    })),
  };
  bench.output.tell(record, () => stackTable(frames, selected, all, bench.context));
}

async function selectFrame(bench: Workbench, index: number): Promise<void> {
  await bench.selectFrame(index);
  await showSource(bench, '');
  await showWatches(bench, false);
}

/** The next frame outwards (+1) or inwards (-1) that is the project's, or any frame when there is none. */
async function nextFrame(bench: Workbench, direction: 1 | -1): Promise<void> {
  const frames = await bench.stop.frames();
  let index = bench.frameIndex + direction;
  while (frames[index]?.presentationHint === 'subtle') {
    index += direction;
  }
  index = frames[index] === undefined ? bench.frameIndex + direction : index;
  if (frames[index] === undefined) {
    const end = direction > 0 ? 'outermost' : 'innermost';
    throw new AmberError('AL_USAGE', `this is the ${end} frame`);
  }
  await selectFrame(bench, index);
}

/** Source around the selected frame, or around a place. */
export async function showSource(bench: Workbench, rest: string): Promise<void> {
  const place = rest.trim();
  const at = place === '' ? await frameSource(bench) : await namedSource(bench, place);
  const record = {
    kind: 'source' as const,
    file: at.file,
    lines: at.lines.map(({ number, text }) => ({ number, text })),
  };
  if (at.lines.length === 0) {
    throw new AmberError('AL_NO_FILE', `there is no source to show for ${at.file ?? 'this frame'}`);
  }
  const context = { ...bench.context, target: bench.target.name };
  const label = bench.frameIndex === 0 ? 'next' : 'in';
  bench.output.tell(record, () => {
    const title = bench.output.palette.place(`${shortPath(at.file ?? at.title, context.here)}:${at.line}`);
    return [
      `${title}${at.title ? ` in ${at.title}` : ''}`,
      ...sourceLines(at.lines, at.current, context, label),
    ].join('\n');
  });
}

async function frameSource(bench: Workbench) {
  const frame = await bench.frame();
  const lines = await bench.sources.lines(frame.source, bench.session);
  const file = frame.source?.path ?? frame.source?.name ?? null;
  const window = sourceAround(lines, frame.line, []);
  return { file, title: frame.name, line: frame.line, current: frame.line, lines: window };
}

async function namedSource(bench: Workbench, place: string) {
  const [, name = '', digits] = /^(.*?)(?::(\d+))?$/.exec(place) ?? [];
  const bare = /^\d+$/.test(place);
  const nameless = bare ? undefined : await namelessSource(bench, name);
  if (nameless !== undefined) {
    const line = Number(digits ?? 1);
    const lines = sourceAround(await bench.sources.lines(nameless, bench.session), line, []);
    return { file: nameless.name ?? '', title: '', line, current: 0, lines };
  }
  const file = bare ? ((await bench.frame()).source?.path ?? '') : findFile(name, bench.searchFolders);
  const line = bare ? readNumber(place) : Number(digits ?? 1);
  const lines = sourceAround(await bench.sources.lines({ path: file }), line, []);
  return { file, title: '', line, current: 0, lines };
}

export const frameCommands: PromptCommand[] = [
  {
    name: 'stack',
    usage: '[all]',
    summary: 'the call stack, foreign frames folded (all: unfolded)',
    completes: 'none',
    run: stack,
  },
  {
    name: 'frame',
    usage: 'N',
    summary: 'select a frame by its number',
    completes: 'none',
    run: (bench, rest) => selectFrame(bench, readNumber(rest)),
  },
  {
    name: 'callers',
    usage: '',
    summary: 'one frame of the project outwards',
    completes: 'none',
    run: (bench) => nextFrame(bench, 1),
  },
  {
    name: 'callee',
    usage: '',
    summary: 'one frame of the project inwards',
    completes: 'none',
    run: (bench) => nextFrame(bench, -1),
  },
  {
    name: 'source',
    usage: '[PLACE]',
    summary:
      'source around the selected frame, or around FILE:LINE (s3:12: of code without a file, see `sources`)',
    completes: 'place',
    run: showSource,
  },
];
