exports.titleOf = (text, isUrgent) => {
  const words = text.split(' ');
  const title = words.slice(0, 4).join(' ');
  return isUrgent ? title.toUpperCase() : title;
};

exports.bodyOf = (text, tags) => {
  const marks = tags.map((tag) => `[${tag}]`);
  return [text, ...marks].join(' ');
};
