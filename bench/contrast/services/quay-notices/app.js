const { mentionsRoute, routesIn } = require('./routes');
const { titleOf, bodyOf } = require('./layout');

const MOST = 140;

function trimmed(text) {
  return text.length > MOST ? `${text.slice(0, MOST)}…` : text;
}

/** Notices for the board at the quay. */
exports.handle = (path, body) => {
  if (path !== '/notices') {
    return { error: 'no board' };
  }
  if (!body.text) {
    return { error: 'what is the notice?' };
  }
  const texts = [body.text, ...(body.more ?? [])].map(trimmed);
  const notices = [];
  for (const text of texts) {
    const hasRoute = mentionsRoute(text);
    const routes = hasRoute ? routesIn(text) : [];
    notices.push({
      title: titleOf(text, body.urgent === true),
      body: bodyOf(text, body.tags ?? []),
      routes,
    });
  }
  const all = new Set(notices.flatMap(({ routes }) => routes));
  const isWhole = notices.every(({ routes }) => routes.length > 0 || all.size === 0);
  return { notices, routes: [...all], isWhole };
};
