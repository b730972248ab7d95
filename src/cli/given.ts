import { existsSync } from 'node:fs';
import { join } from 'node:path';
import type { Given } from '../targets/find.js';

/**
 * The targets that a project's amber.yaml describes; none where it cannot be read, which others tell. What reads it is
 * loaded only where there is one.
 */
export async function givenTargets(project: string): Promise<Given> {
  if (!existsSync(join(project, 'amber.yaml'))) {
    return { targets: {}, folder: project };
  }
  try {
    const { ProjectFile } = await import('../core/project/project-file.js');
    return { targets: ProjectFile.read(project).settings.targets, folder: project };
  } catch {
    return { targets: {}, folder: project };
  }
}
