import { spawnSync } from 'node:child_process';
import { agentFolder } from '../../../src/installation.js';
import { typicalPythons } from '../../../test/support/python.js';

/** Changes random values at random, and looks whether a print tells every change that the text of a value tells. */
const SCRIPT = `
import random, sys, weakref
from collections import OrderedDict, deque
sys.path.insert(0, sys.argv[1])
from amber_agent.prints import is_same, print_of
from amber_agent.values import text_of

class Office:
    def __init__(self, **held):
        self.__dict__.update(held)

class Slip:
    __slots__ = ("fare",)
    def __init__(self, fare):
        self.fare = fare
    def __repr__(self):
        return "Slip(%r)" % self.fare

class Row(dict):
    pass

class Legs(list):
    pass

class Seat(Office):
    __slots__ = ("number",)
    def __init__(self, number):
        self.number = number

class Named(Office):
    def __repr__(self):
        return "Named %r" % sorted(self.__dict__.items())

def scalar(rng):
    return rng.choice([None, True, False, 0, 1, -3, 2.5, float("inf"), "", "Holm", "x" * 3000, b"ab", 10 ** 30, 1 + 2j])

def value(rng, depth=3):
    if depth == 0 or rng.random() < 0.3:
        return scalar(rng)
    parts = [value(rng, depth - 1) for _ in range(rng.randrange(5))]
    kind = rng.randrange(12)
    if kind == 8:
        return Row((str(index), part) for index, part in enumerate(parts))
    if kind == 9:
        return Legs(parts)
    if kind == 10:
        return OrderedDict((index, part) for index, part in enumerate(parts))
    if kind == 11:
        return Seat(scalar(rng))
    if kind == 0:
        return tuple(parts)
    if kind == 1:
        return {index if rng.random() < 0.5 else str(index): part for index, part in enumerate(parts)}
    if kind == 2:
        return {scalar(rng) for _ in range(3)}
    if kind == 3:
        return deque(parts)
    if kind == 4:
        return Office(**{"a%d" % index: part for index, part in enumerate(parts)})
    if kind == 5:
        return Slip(scalar(rng))
    if kind == 6:
        return Named(**{"b%d" % index: part for index, part in enumerate(parts)})
    return parts

def places(held, found):
    """Everything within a value that can be changed."""
    if isinstance(held, (list, deque)):
        found += [("item", held, index) for index in range(len(held))] + [("add", held, None)]
        inner = held
    elif isinstance(held, dict):
        found += [("item", held, key) for key in held] + [("key", held, None)]
        inner = held.values()
    elif isinstance(held, set):
        found.append(("member", held, None))
        inner = ()
    elif isinstance(held, Seat):
        found.append(("number", held, None))
        inner = ()
    elif isinstance(held, Slip):
        found.append(("fare", held, None))
        inner = ()
    elif isinstance(held, Office):
        found += [("attribute", held, name) for name in held.__dict__]
        inner = held.__dict__.values()
    elif isinstance(held, tuple):
        inner = held
    else:
        inner = ()
    for item in list(inner):
        places(item, found)
    return found

def change(rng, what, held, where):
    new = value(rng, 1)
    if what == "item":
        held[where] = new
    elif what == "add":
        held.append(new)
    elif what == "key":
        held["k%d" % rng.randrange(9)] = new
    elif what == "member":
        held.add(rng.randrange(50))
    elif what == "number":
        held.number = scalar(rng)
    elif what == "fare":
        held.fare = scalar(rng)
    else:
        setattr(held, where, new)

changes = same = 0
for seed in range(4000):
    rng = random.Random(seed)
    held = value(rng)
    text, before = text_of(held, 200), print_of(held, 200)
    if not is_same(before, print_of(held, 200)):
        print("another print of the same", seed, text)
    can = places(held, [])
    if can:
        change(rng, *rng.choice(can))
        changed = text_of(held, 200) != text
        told = not is_same(before, print_of(held, 200))
        changes += changed
        same += not changed and not told
        if changed and not told:
            print("not seen", seed, text, text_of(held, 200))
office = Office(rates=[Office()], name="x" * 3000)
gone = weakref.ref(office)
kept = print_of(office, 200)
del office
print("changes", changes > 1000, "quiet", same > 50, "kept", gone() is not None)
`;

describe.each(typicalPythons())('prints of values in Python $version', ({ path }) => {
  it('tell every change that a text tells, and keep nothing of the program alive', () => {
    const { stdout, stderr } = spawnSync(path, ['-c', SCRIPT, agentFolder('python')], {
      encoding: 'utf8',
    });
    expect({ stdout, stderr }).toEqual({ stdout: 'changes True quiet True kept False\n', stderr: '' });
  });
});
