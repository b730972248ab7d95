const MOST = 60;

exports.checked = ({ lanterns, nights }) => {
  if (!(lanterns > 0)) {
    return 'how many?';
  }
  if (!(nights > 0) || nights > MOST) {
    return 'for how long?';
  }
  return undefined;
};
