const ROUTE = /#route(\d+)/g;

exports.mentionsRoute = (text) => ROUTE.test(text);

exports.routesIn = (text) => {
  const found = [];
  for (const match of text.matchAll(/#route(\d+)/g)) {
    found.push(Number(match[1]));
  }
  return found;
};
