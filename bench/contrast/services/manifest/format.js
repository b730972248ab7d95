// Fields of a fixed width, in bytes of UTF-8.
function field(text, width) {
  const cut = shorten(text, width);
  const bytes = Buffer.from(cut, 'latin1');
  const padded = Buffer.alloc(width, 0x20);
  bytes.copy(padded, 0, 0, Math.min(bytes.length, width));
  return padded;
}

function shorten(text, width) {
  if (text.length <= width) {
    return text;
  }
  const words = text.split(' ');
  const last = words.pop();
  const initials = words.map((word) => `${word[0]}.`).join(' ');
  return `${initials} ${last}`.slice(0, width);
}

function checksum(bytes) {
  let sum = 0;
  for (const byte of bytes) {
    sum = (sum * 31 + byte) % 65521;
  }
  return sum;
}

module.exports = { field, checksum, shorten };
