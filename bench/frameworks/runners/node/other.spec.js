// A second file, so that the runner takes processes of its own.
test('an even fare', () => expect(4 % 2).toBe(0));
