import type { Scope, Variable } from '../../../core/dap/messages.js';
import { AmberError } from '../../../core/errors.js';
import { type Rows, rowsOf } from '../../../core/session/rows.js';
import type { Stop, Value } from '../../../core/session/stop.js';
import type { VariableRecord } from '../../render/records.js';
import { rowsList, rowsTable } from '../../render/rows.js';
import { variableRecord, variablesList, variablesTable } from '../../render/tables.js';
import { countOf } from '../../render/text.js';
import { type PromptCommand, readNumber } from '../command.js';
import type { OpenPage } from '../target-bench.js';
import type { Workbench } from '../workbench.js';

/** Variables shown at once; `more` shows the next ones. */
const PAGE = 50;
/** Children shown below a variable in a table. */
const TABLE_CHILDREN = 8;
/** A text that leaves something out, or says only what kind of values there are. */
const SHORTENED = /…|\b(?:Object|Array\(\d+\))[,\]]/;
/** Rows that an expression shows of a list of records. */
const FIRST_ROWS = 10;
/** Lines that `output` shows. */
const OUTPUT_LINES = 20;

/** `vars [SCOPE] [--table]`. */
export async function vars(bench: Workbench, rest: string): Promise<void> {
  const isTable = /(^|\s)--table(\s|$)/.test(rest);
  const wanted = rest.replace('--table', '').trim().toLowerCase();
  const { stop } = bench;
  const scopes = await stop.scopes((await bench.frame()).id);
  const chosen = wanted === '' ? scopes.filter((scope) => !scope.expensive) : [findScope(scopes, wanted)];
  for (const scope of chosen.length > 0 ? chosen : scopes.slice(0, 1)) {
    if (isTable) {
      await showTable(bench, scope);
      continue;
    }
    const total = (scope.namedVariables ?? 0) + (scope.indexedVariables ?? 0);
    await showPage(bench, {
      stop,
      title: scope.name,
      reference: scope.variablesReference,
      filter: undefined,
      next: 0,
      total: total || Number.POSITIVE_INFINITY,
    });
  }
  const others = scopes.filter((scope) => !chosen.includes(scope)).map((scope) => scope.name.toLowerCase());
  if (wanted === '' && others.length > 0) {
    bench.output.remark(
      bench.output.palette.faint(`also: ${others.map((name) => `vars ${name}`).join(', ')}`),
    );
  }
}

/** A scope as one flat table: its variables, and below each with children those children, by their paths. */
async function showTable(bench: Workbench, scope: Scope): Promise<void> {
  const { stop } = bench;
  const rows: VariableRecord[] = [];
  for (const variable of await stop.variables(scope.variablesReference, { start: 0, count: PAGE })) {
    rows.push(variableRecord(variable));
    if (variable.variablesReference > 0 && !isCode(variable)) {
      const children = await stop.variables(variable.variablesReference, { start: 0, count: TABLE_CHILDREN });
      // What an engine keeps about a value is in brackets; it is not the program's.
      const own = children.filter(({ name }) => !name.startsWith('[['));
      rows.push(...own.slice(0, TABLE_CHILDREN).map(variableRecord));
    }
  }
  bench.output.tell({ kind: 'vars', scope: scope.name, variables: rows, left: 0 }, () =>
    variablesTable(scope.name, rows, bench.context),
  );
}

/** Functions and classes: what is in them says little. */
function isCode({ type = '' }: Variable): boolean {
  return ['function', 'method', 'builtin_function_or_method', 'type', 'module'].includes(type);
}

/** What the target has printed, as far as it tells. */
async function output(bench: Workbench, rest: string): Promise<void> {
  const count = rest.trim() === '' ? OUTPUT_LINES : readNumber(rest);
  const lines = bench.selected.printed.slice(-count);
  if (lines.length === 0) {
    bench.output.remark(
      `${bench.target.name} has told of nothing that it printed; see its own terminal or log`,
    );
  }
  for (const { stream, text } of lines) {
    const record = {
      kind: 'output' as const,
      stream: stream === 'stderr' ? ('stderr' as const) : ('stdout' as const),
      text,
    };
    bench.output.tell(record, () => (stream === 'stderr' ? bench.output.palette.bad(text) : text));
  }
}

/** Adds to what is not the project's own code, or lists it. */
async function foreign(bench: Workbench, rest: string): Promise<void> {
  const globs = rest.split(/\s+/).filter(Boolean);
  const added = [...new Set([...bench.foreign, ...globs])];
  if (globs.length > 0) {
    for (const { session } of bench.open) {
      await session.setForeign(added);
    }
    bench.foreign = added;
  }
  const more = bench.foreign.map((glob) => `, ${glob}`).join('');
  bench.output.remark(`foreign: the language’s library, installed packages${more}`);
}

function findScope(scopes: Scope[], wanted: string): Scope {
  const found = scopes.find((scope) => scope.name.toLowerCase().startsWith(wanted));
  if (found === undefined && ['request', 'response'].includes(wanted)) {
    throw new AmberError(
      'AL_USAGE',
      'no request is known to be served here',
      'one that was under way when amber came is not known; the next one is',
    );
  }
  if (found === undefined) {
    const names = scopes.map((scope) => scope.name.toLowerCase()).join(', ');
    throw new AmberError(
      'AL_USAGE',
      `there is no scope ${JSON.stringify(wanted)} here`,
      `there are ${names}`,
    );
  }
  return found;
}

async function open(bench: Workbench, rest: string): Promise<void> {
  const { path, table } = tableOptions(rest);
  if (path === '') {
    throw new AmberError('AL_USAGE', 'say what to open', '`open order.lines`');
  }
  const { stop } = bench;
  const value = await openable(bench, stop, path);
  if (value.reference === 0) {
    bench.output.tell(
      { kind: 'value', expression: path, value: value.text, type: value.type, children: 0 },
      () => valueLine(bench, value),
    );
    return;
  }
  // Named children first; of a value with only items, the items are asked for by their page.
  const onlyItems = value.named === 0 && value.indexed > 0;
  await showPage(bench, {
    stop,
    title: `${path} = ${value.type}`,
    reference: value.reference,
    filter: onlyItems ? 'indexed' : undefined,
    next: 0,
    total: value.named + value.indexed || Number.POSITIVE_INFINITY,
    ...(table ? { table } : {}),
  });
}

/** `PATH [--list | --columns NAME,NAME…]` */
function tableOptions(rest: string): { path: string; table: OpenPage['table'] } {
  const [, before = rest, option = '', names = ''] =
    /^(.*?)\s--(list|columns)(?:\s+(\S.*))?$/s.exec(rest) ?? [];
  const columns = names
    .split(',')
    .map((name) => name.trim())
    .filter(Boolean);
  if (option === 'columns' && columns.length === 0) {
    throw new AmberError('AL_USAGE', 'say which columns', '`open trips --columns name,seats`');
  }
  return {
    path: before.trim(),
    table: option === 'list' ? undefined : { columns: columns.length > 0 ? columns : undefined },
  };
}

/** The value that `path` names: an expression, or a folded node of a scope (`special`, `definitions`). */
async function openable(bench: Workbench, stop: Stop, path: string): Promise<Value> {
  const frame = await bench.frame();
  if (path === 'special' || path === 'definitions') {
    for (const scope of await stop.scopes(frame.id)) {
      const found = (await stop.variables(scope.variablesReference)).find(
        (variable) => variable.name === path,
      );
      if (found !== undefined) {
        const { namedVariables: named = 0, indexedVariables: indexed = 0 } = found;
        return { text: found.value, type: '', reference: found.variablesReference, named, indexed };
      }
    }
  }
  return await stop.evaluate(path, frame.id, 'watch', { signal: bench.interruption.signal });
}

async function more(bench: Workbench): Promise<void> {
  const { page } = bench;
  if (page === undefined || page.stop.over || page.next >= page.total) {
    throw new AmberError('AL_USAGE', 'there is no more to show');
  }
  await showPage(bench, page);
}

async function showPage(bench: Workbench, page: OpenPage): Promise<void> {
  const window = { start: page.next, count: PAGE, ...(page.filter ? { filter: page.filter } : {}) };
  const children = await page.stop.variables(page.reference, window);
  const variables = children.map(variableRecord);
  const next = page.next + variables.length;
  const total = variables.length < PAGE ? Math.min(page.total, next) : page.total;
  const left = Number.isFinite(total) ? total - next : 0;
  bench.page = { ...page, next, total };
  const isTable = page.table !== undefined && !bench.output.json;
  const rows = isTable ? await rowsOf(page.stop, children, page.table?.columns) : undefined;
  bench.output.tell({ kind: 'vars', scope: page.title, variables, left }, () =>
    rows === undefined
      ? variablesList(page.title, variables, left, bench.context)
      : rowsList(page.title, rows, left, bench.context),
  );
}

async function evaluate(bench: Workbench, rest: string): Promise<void> {
  if (rest === '') {
    throw new AmberError('AL_USAGE', 'an expression is missing after =', '`= order.total`');
  }
  const frame = bench.selectedStop ? await bench.frame() : undefined;
  const value = await bench.stop.evaluate(rest, frame?.id, 'repl', { signal: bench.interruption.signal });
  const children = value.named + value.indexed;
  // What fits a line, whole, is read at a glance.
  const fits = value.text.length <= bench.output.width && !SHORTENED.test(value.text);
  const isLong = !bench.output.json && !fits;
  const rows = isLong ? await firstRows(bench.stop, value) : undefined;
  bench.output.tell({ kind: 'value', expression: rest, value: value.text, type: value.type, children }, () =>
    rows === undefined
      ? valueLine(bench, value)
      : `${bench.output.palette.faint(`${value.type}, ${countOf(children, 'row')}`)}\n${rowsTable(rows, bench.context)}`,
  );
  if (rows !== undefined && children > rows.rows.length) {
    const left = (children - rows.rows.length).toLocaleString('en');
    bench.output.remark(bench.output.palette.faint(`  ${left} more: open ${rest.trim()}`));
  }
}

/** The first of a list's values as a table, where they have the same parts. */
async function firstRows(stop: Stop, value: Value): Promise<Rows | undefined> {
  if (value.reference === 0 || value.indexed < 2) {
    return undefined;
  }
  const window = { start: 0, count: FIRST_ROWS, filter: 'indexed' as const };
  return await rowsOf(stop, await stop.variables(value.reference, window), undefined);
}

async function assign(bench: Workbench, rest: string): Promise<void> {
  const match = /^(.*?[^=!<>])=(?!=)(.*)$/s.exec(rest);
  if (match === null || !match[1]?.trim() || !match[2]?.trim()) {
    throw new AmberError('AL_USAGE', 'an assignment is NAME = EXPR', '`assign order.total = 12.5`');
  }
  const [target, expression] = [match[1].trim(), match[2].trim()];
  const value = await bench.stop.assign(target, expression, (await bench.frame()).id);
  const children = value.named + value.indexed;
  bench.output.tell(
    { kind: 'value', expression: target, value: value.text, type: value.type, children },
    () => `${target} = ${valueLine(bench, value)}`,
  );
}

function valueLine(bench: Workbench, value: Value): string {
  const { palette } = bench.output;
  const children = value.named + value.indexed;
  const type = [value.type, children > 0 ? countOf(children, 'child', 'children') : '']
    .filter(Boolean)
    .join(', ');
  return [palette.value(value.text), type ? palette.faint(type) : ''].filter(Boolean).join('  ');
}

export const lookCommands: PromptCommand[] = [
  {
    name: 'output',
    usage: '[LINES]',
    summary: 'what the target has printed, as far as it tells',
    completes: 'none',
    run: output,
  },
  {
    name: 'foreign',
    usage: '[GLOB…]',
    summary: 'more code that stacks fold and steps pass over (foreign **/vendor/**)',
    completes: 'none',
    run: foreign,
  },
  {
    name: 'vars',
    usage: '[SCOPE] [--table]',
    summary: 'variables of the frame (locals, closure, globals); --table: flat, with children',
    completes: 'none',
    run: vars,
  },
  {
    name: 'open',
    usage: 'PATH [--list | --columns NAME,…]',
    summary: 'the children of a value; those of a list of records as a table',
    details: [
      'Values with the same parts are a table: 50 rows, then more. --columns shows some, in that order; --list shows no table.',
      '',
      'example: open trips --columns name,seats',
    ].join('\n'),
    completes: 'expression',
    run: open,
  },
  { name: 'more', usage: '', summary: 'the next page', completes: 'none', run: more },
  {
    name: '=',
    usage: 'EXPR',
    summary: 'evaluate in the selected frame',
    completes: 'expression',
    run: evaluate,
  },
  {
    name: 'assign',
    acts: true,
    usage: 'NAME = EXPR',
    summary: 'store a value in a variable, attribute or item',
    completes: 'expression',
    run: assign,
  },
];
