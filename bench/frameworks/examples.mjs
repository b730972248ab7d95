/* How each is started, marked and traced, as docs/frameworks.md shows it. */

/** @returns the section, in Markdown */
export function examplesOf(frameworks) {
  return Object.entries(frameworks)
    .filter(([, { isInlined }]) => !isInlined)
    .map(([name, framework]) => `**${name}**\n\n\`\`\`\n${linesOf(framework).join('\n')}\n\`\`\`\n`)
    .join('\n');
}

function linesOf({ start, example, prepared, file, set, told, say, called = 'fares' }) {
  const words = start.map((word) =>
    word
      .replace('PORT', '8000')
      .replace('ROOT/', '')
      .replace(/^\/usr\/bin\//, ''),
  );
  const command = example ?? `${prepared ? 'amber run -- ' : ''}${words.join(' ')}`;
  return [
    command,
    `amber attach ${called} --break '${file}:${set} for header x-number=7'`,
    `amber trace ${called} --log '${file}:${told} "${say}"' --send 'GET http://127.0.0.1:8000/quotes/7'`,
  ];
}
