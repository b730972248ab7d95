import type { Helper } from './helper.js';
import type { LoadedScript } from './loaded-script.js';
import type { Mark } from './marks.js';
import { effectsOf, effectsText } from './splice/effects.js';
import { treeOf } from './splice/statements.js';
import type { Codes } from './spots.js';

/**
 * Tells the helper what followed lines do to the variables of their functions, so that it need not look at all of them at
 * each. It is known only of what is in the code now: while that changes, of none.
 */
export class FollowedLines {
  constructor(private readonly helper: Helper) {}

  /** The code of a script is about to change. */
  async forget(...codes: Codes[]): Promise<void> {
    const marks = codes.flatMap((each) => followedIn(each).map(({ mark }) => mark));
    await this.helper.tellEffects(new Map(marks.map((mark) => [mark, ''])));
  }

  /**
   * The code of a script has changed.
   * @param isElsewhere whether a mark stands in other code too, which may be an older version of the same file
   */
  async tell(script: LoadedScript, present: Codes, isElsewhere: (mark: Mark) => boolean): Promise<void> {
    const followed = followedIn(present);
    // In a source that people wrote otherwise, names come and go from line to line.
    if (followed.length === 0 || (await script.names()) !== undefined) {
      return;
    }
    const tree = treeOf(await script.pristine());
    const always = followed.filter(({ mark: { wanted, rule, requests } }) => {
      return wanted.condition === '' && rule === undefined && requests === null;
    });
    const effects = tree && effectsOf(tree, new Set(always.map(({ start }) => start)));
    const texts = always.map(({ mark, start }): [Mark, string] => {
      const line = effects?.get(start);
      return [mark, line === undefined || isElsewhere(mark) ? '' : effectsText(line)];
    });
    await this.helper.tellEffects(new Map(texts));
  }
}

function followedIn(codes: Codes): { mark: Mark; start: number }[] {
  return [...codes].flatMap(([start, { marks }]) =>
    marks.filter(({ wanted }) => wanted.kind === 'follow').map((mark) => ({ mark, start })),
  );
}
