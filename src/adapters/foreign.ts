/** A glob (`*` within a folder, `**` across) as a pattern. */
export function globPattern(glob: string): string {
  const parts = glob.split(/(\*\*|\*)/).map((part) => {
    if (part === '**') {
      return '.*';
    }
    return part === '*' ? '[^/]*' : part.replace(/[\\^$.+?()[\]{}|]/g, '\\$&');
  });
  return `${parts.join('')}$`;
}
