import type { MarkKind } from '../../../src/core/marks/grammar.js';

/** What every name of ours in a program begins with; none of them is shown. */
const OURS = '$amber';
/** The hidden global name of our helper in the program. */
export const HELPER = `${OURS}Lantern`;
/** The name of the way from a program's main thread to its agent. */
export const WAY = `${OURS}Agent`;

export function isOurName(name: string): boolean {
  return name.startsWith(OURS);
}

/** What is spliced in for one mark. Expressions have been checked to be expressions. */
export interface SplicedMark {
  id: number;
  kind: MarkKind;
  condition: string;
  hasRule: boolean;
  values: readonly string[];
  /** `some`: it is for some requests only. `first`: it is for the first that is done for a request. */
  requests: 'all' | 'some' | 'first';
  /**
   * Where a line is followed: its function's name, its variables as people call them with what they are here, and whether
   * its calls begin here.
   */
  followed?: { name: string; variables: { name: string; code: string }[]; opens: boolean };
}

/**
 * Code before a value, as part of the same expression: it ends in `?0:`, so that nothing need stand behind the
 * value. (V8 takes a change at the very end of a function for one of the code around it.)
 */
function asExpression(code: string): string {
  return `(()=>{${code}})()?0:`;
}

/**
 * The code of the marks at one site, on one line. An error in an expression is counted and goes no further;
 * `debugger` does nothing while no client is there. A breakpoint alone costs what its condition costs.
 */
export function codeOf(marks: readonly SplicedMark[], beforeValue: boolean): string {
  const code = statementsOf(marks, beforeValue);
  return beforeValue ? asExpression(code) : code;
}

/**
 * The same in a script that is on its way in, and that nothing takes out again until it comes anew: the piece asks whether
 * it still counts. A condition that calls nothing is computed first, so that a pass where it is not true costs no more.
 */
export function arrivingCode(piece: number, marks: readonly SplicedMark[], beforeValue: boolean): string {
  const counts = `${HELPER}.counts(${piece})`;
  const [only, second] = marks;
  const isPlainTest = second === undefined && only?.kind === 'break' && !MAY_CALL.test(only.condition);
  const code = isPlainTest
    ? guarded(
        only.id,
        `if(${[only.condition && `(${only.condition})`, counts, testOf({ ...only, condition: '' })].filter(Boolean).join('&&')})debugger`,
      )
    : `if(typeof ${HELPER}!=='undefined'&&${counts}){${statementsOf(marks, beforeValue)}}`;
  return beforeValue ? asExpression(code) : code;
}

/** The address under which the engine tells of conditions that it computes (runtimes/node/agent/thread/engine.js). */
const CONDITION_URL = 'amber:condition';

/**
 * The same as a condition of one of the engine's breakpoints, which has the number `stop`: logpoints and counters are
 * done with when it has been computed, and it is true where a breakpoint is hit.
 */
export function conditionOf(stop: number, marks: readonly SplicedMark[]): string {
  const others = marks.filter(({ kind }) => kind !== 'break').map((mark) => quietCode(mark));
  const tests = marks
    .filter(({ kind }) => kind === 'break')
    .map((mark) => {
      const [first, test] = tested(mark);
      return guarded(mark.id, `${first}if(${test})${HITS}.push(${mark.id})`);
    });
  const code = `${HELPER}.tick(${stop});${others.join('')}let ${HITS}=[];${tests.join('')}return ${HELPER}.stops(${HITS})`;
  return `typeof ${HELPER}==='undefined'?false:(()=>{${code}})()\n//# sourceURL=${CONDITION_URL}`;
}

/** What a mark does at a request that is sent, as an expression: whether it is to stop. */
export function sendCode(mark: SplicedMark): string {
  if (mark.kind !== 'break') {
    return `(()=>{${quietCode(mark)};return false})()`;
  }
  const [first, test] = tested(mark);
  return `(()=>{let ${HITS}=false;${guarded(mark.id, `${first}if(${test})${HITS}=true`)};return ${HITS}})()`;
}

/** The number of the call of a followed function, for all its lines. */
const CALL = `${OURS}Call`;

function callNumber(marks: readonly SplicedMark[]): string {
  return marks.some(({ followed }) => followed?.opens)
    ? `var ${CALL}=typeof ${HELPER}==='undefined'?0:${HELPER}.call();`
    : '';
}

/** @param isAll whether the call is over with it, so that nothing else need know its number */
function followCode(
  id: number,
  { name, variables, opens }: NonNullable<SplicedMark['followed']>,
  isAll: boolean,
): string {
  const call = opens && isAll ? `${HELPER}.call()` : `typeof ${CALL}==='undefined'?0:${CALL}`;
  const values = variables.map(({ name: written, code }) => (written === code ? code : `${written}:${code}`));
  return `if(${HELPER}.wants(${id}))${HELPER}.follow(${id},${call},${JSON.stringify(name)},{${values.join(',')}})`;
}

function statementsOf(marks: readonly SplicedMark[], beforeValue: boolean): string {
  const breaks = marks.filter(({ kind }) => kind === 'break');
  const quiet = marks.filter(({ kind }) => kind !== 'break').map((mark) => quietCode(mark, beforeValue));
  const others = (beforeValue ? '' : callNumber(marks)) + quiet.join('');
  const [only, second] = breaks;
  if (only === undefined) {
    return others;
  }
  if (second === undefined) {
    const [first, test] = tested(only);
    return others + guarded(only.id, `${first}if(${test})debugger`);
  }
  // Several breakpoints on one line are one stop.
  const tests = breaks.map((mark) => {
    const [first, test] = tested(mark);
    return guarded(mark.id, `${first}if(${test})${HITS}.push(${mark.id})`);
  });
  return `${others}{let ${HITS}=[];${tests.join('')}if(${HITS}.length)debugger}`;
}

/** Where several breakpoints stand on one line: the numbers of those that were hit. */
export const HITS = `${OURS}Hits`;

/**
 * Expressions of these may call functions of the program, and so come to the very same mark again: twice for each
 * pass and the program would never come back. Names, literals and operators may not (but for `valueOf`).
 */
const MAY_CALL = /[.([`]|\bnew\b/;

/** What to do first, and what then says whether the mark is hit. The condition itself must be within the function. */
function tested(mark: SplicedMark): [string, string] {
  return MAY_CALL.test(mark.condition)
    ? [`let ${TRUE}=false;${oncePerPass(mark.id, `${TRUE}=${testOf(mark)}`)}`, TRUE]
    : ['', testOf(mark)];
}

/** Runs code unless the same mark's code is being run already, further up the stack. */
function oncePerPass(id: number, code: string): string {
  return `if(${HELPER}.enter(${id}))try{${code}}finally{${HELPER}.exit(${id})}`;
}

/** Whether a breakpoint's condition held. */
const TRUE = `${OURS}True`;

function testOf({ id, condition, hasRule, requests }: SplicedMark): string {
  const own = condition ? `(${condition})` : '';
  const rule = hasRule ? `${HELPER}.pass(${id})` : '';
  return [requestTest(id, requests), own, rule].filter(Boolean).join('&&') || 'true';
}

/** What is asked before anything of a mark is computed. */
function requestTest(id: number, requests: SplicedMark['requests']): string {
  return { all: '', some: `${HELPER}.mine(${id})`, first: `${HELPER}.first(${id})` }[requests];
}

function quietCode(
  { id, kind, condition, values, requests, followed }: SplicedMark,
  beforeValue = false,
): string {
  const isLog = kind === 'log';
  const wanted = values.map((expression) => `(${expression})`);
  const call = followed
    ? followCode(id, followed, beforeValue)
    : isLog
      ? `if(${HELPER}.wants(${id}))${HELPER}.log(${[id, ...wanted].join(',')})`
      : `${HELPER}.count(${id})`;
  const test = [requestTest(id, requests), condition ? `(${condition})` : ''].filter(Boolean).join('&&');
  const code = test ? `if(${test}){${call}}` : call;
  const mayCall = [condition, ...values].some((expression) => MAY_CALL.test(expression));
  return guarded(id, mayCall ? oncePerPass(id, code) : code, isLog ? 'failed' : 'error');
}

function guarded(id: number, code: string, onError: 'error' | 'failed' = 'error'): string {
  return `try{${code}}catch($e){typeof ${HELPER}==='undefined'||${HELPER}.${onError}(${id},$e)}`;
}
