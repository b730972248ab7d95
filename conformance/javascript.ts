/** The suite's service in JavaScript, but for how it is asked and what it loads later. */
export const FUNCTIONS = `function fare(n) {
  const total = n * 3;      // [total]
  // [remark]
  let twice = total * 2;    // [twice]
  return twice;             // [back]
}

function quote(n) {
  const first = fare(n);    // [call]
  return first + 1;         // [after]
}

function roundTrip(n) {
  let length = 0;
  for (let leg = 0; leg < n; leg += 1) {
    length += leg;          // [leg]
  }
  return length;
}

function tide() {
  throw new RangeError('tide');  // [raise]
}

function caught(n) {
  try {
    return tide(n);
  } catch {
    return n;
  }
}

function named(n) {
  const request = n + 1;
  return request;           // [own]
}

function inside(n) {
  try {
    throw new RangeError('tide');  // [inside]
  } catch {
    return n;
  }
}

const double = (fee) => fee * 2;  // [double]

function least(n) {
  return [n * 3, n, n * 2].sort((fee, other) => fee - other)[0];  // [least]
}
`;
