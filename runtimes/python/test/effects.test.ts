import { spawnSync } from 'node:child_process';
import { agentFolder } from '../../../src/installation.js';
import { typicalPythons } from '../../../test/support/python.js';

/**
 * Makes functions at random and follows some of their lines, once as they are followed and once with every variable
 * compared at every line: both must tell the same changes.
 */
const SCRIPT = `
import ast, json, random, sys
from types import SimpleNamespace
sys.path.insert(0, sys.argv[1])
from amber_agent import hits, served
from amber_agent.effects import ANYTHING, Effects
from amber_agent.followed import Followed

PRELUDE = '''
from collections import defaultdict
class Office:
    def __init__(self):
        self.asked = []
        self.seats = 1
    @property
    def count(self):
        self.asked.append(1)
        return len(self.asked)
    def __enter__(self):
        return self
    def __exit__(self, *why):
        self.seats += 1
def legs(office, seats):
    office.seats += 1
    for n in range(2):
        seats.append(n)
        yield n
def note(seats):
    seats.append(9)
    return 2
'''

SIMPLE = '''a = b + 1
b = a * 2 - c
c = (c + 1) % 5
l = [a, b]
m = l
l = list(m)
l += [c]
m += [1]
a += 1
l.append(a)
a = len(l)
b = note(m)
d["k"] = a
d = {"k": l}
a = d["k"] if "k" in d else 0
e = defaultdict(list)
n = e["x"]
n = e["y" + str(a)]
n = [1]
a = o.count
b = o.seats
o.seats = a
a, (b, *l) = b, (a, 1, 2)
m = [x + a for x in l]
g = legs(o, l)
b = sum(g) if g else 0
b = sum(l) if l and all(type(x) is int for x in l) else 1
f = f"{a} {l}"
a = 1 if (b := c) else 2
k = lambda: l
l = k() if k else l
h = d.get("k", 0)
h = {"l": l}
h["l"] = m
a = max(a, 1) if type(a) is int else 0
t = (l, m)
a = 1 if t and t[0] else 0
w = o.asked
a = h["l"] is l if h else 0
f = "%s" % (m,)'''.split("\\n")

def block(rng, depth, indent, loops):
    lines = []
    for _ in range(rng.randrange(1, 5)):
        kind = rng.randrange(14 if sys.version_info < (3, 10) else 15) if depth else 0
        pad = "    " * indent
        inner = lambda more=0: block(rng, depth - 1, indent + 1, loops + more)
        if kind < 7:
            lines.append(pad + rng.choice(SIMPLE))
        elif kind == 7:
            lines += [pad + "if a %% 2 == %d:" % rng.randrange(2)] + inner()
            if rng.random() < 0.5:
                lines += [pad + rng.choice(["else:", "elif len(l) > 2:"])] + inner()
        elif kind == 8:
            over = rng.choice(["range(3)", "l[:3]", "list(l)[:2]", "m[:2]", "legs(o, l)", "enumerate(m[:2])", "dict(d)"])
            lines += [pad + "for i in %s:" % over] + inner(1)
        elif kind == 9:
            lines += [pad + "turns%d = 0" % indent, pad + "while turns%d < 3:" % indent, pad + "    turns%d += 1" % indent] + inner(1)
        elif kind == 10:
            lines += [pad + "try:"] + inner() + [pad + "    a // (b - b)" if rng.random() < 0.5 else pad + "    c = 0"]
            lines += [pad + "except ZeroDivisionError as error:"] + inner()
            if rng.random() < 0.5:
                lines += [pad + "finally:"] + inner()
        elif kind == 11:
            lines += [pad + "with o:"] + inner()
        elif kind == 12 and loops:
            lines += [pad + "if c == 1:", pad + "    c = 2", pad + "    " + rng.choice(["continue", "break"])]
        elif kind == 14:
            lines += [pad + "match %s:" % rng.choice(["m", "d", "o.count"]), pad + "    case [a, *n]:"] + ["    " + line for line in inner()]
            lines += [pad + "    case {'k': b, **h} if h is not None:"] + ["    " + line for line in inner()]
            lines += [pad + "    case int() as c:"] + ["    " + line for line in inner()]
        elif kind == 13:
            lines += [pad + "def inner(x=a):", pad + "    nonlocal c", pad + "    c = x if type(x) is int else 3", pad + "    l.append(c)", pad + "    return l", pad + rng.choice(["inner()", "a = 1", "k = inner"])]
    return lines or ["    " * indent + "c = 1"]

class Marked(ast.NodeTransformer):
    def __init__(self, lines):
        self.lines = lines
    def generic_visit(self, node):
        super().generic_visit(node)
        for field in ("body", "orelse", "finalbody"):
            held = getattr(node, field, None)
            if isinstance(held, list) and held and isinstance(held[0], ast.stmt) and not isinstance(node, ast.Module):
                made = []
                for one in held:
                    if one.lineno in self.lines and not isinstance(one, ast.Nonlocal):
                        made.append(ast.copy_location(ast.parse("LINE[%d]()" % one.lineno).body[0], one))
                    made.append(one)
                setattr(node, field, made)
        return node

class Session:
    def __init__(self):
        self.serving_ident, self.busy, self.hits = 0, set(), None
    def set_busy(self, ident, busy):
        (self.busy.add if busy else self.busy.discard)(ident)

class Everything(Effects):
    def between(self, before, line):
        return ANYTHING

def told(text, lines, effects):
    tree = ast.parse(text)
    session = Session()
    session.hits = hits.Hits(session)
    followed = Followed(session)
    kept = effects(tree, lines)
    first = min(node.body[0].lineno for node in ast.walk(tree) if isinstance(node, ast.FunctionDef) and node.name == "work")
    opens = {node.body[0].lineno + isinstance(node.body[0], ast.Nonlocal) for node in ast.walk(tree) if isinstance(node, ast.FunctionDef)}
    space = {}
    exec(compile(ast.parse(PRELUDE), "prelude", "exec"), space)
    space["LINE"] = {
        line: followed.follower(SimpleNamespace(id=line, live=True, hit=hits.Tally(), limits=hits.Limits({}), opens=line in opens, has_lambdas=False, line=line, effects=kept, after={}))
        for line in lines
    }
    exec(compile(ast.fix_missing_locations(Marked(lines).visit(tree)), "made", "exec"), space)
    try:
        space["work"](1, 2, 3)
    except Exception as error:
        raised = repr(error)
    else:
        raised = ""
    names = lambda changed: json.loads("{%s}" % changed[:-1])
    rows = [(item[0].id, item[3][0], names(item[3][2])) for item in session.hits.queue]
    # What is told apart by where it lies in memory differs from run to run.
    is_sure = lambda text: "0x" not in text and "<function" not in text
    return [(line, call, {name: value for name, value in changed.items() if is_sure(value[0])}) for line, call, changed in rows], raised

rng = random.Random(int(sys.argv[2]))
looks, spared, lines_seen = 0, 0, 0
for number in range(int(sys.argv[3])):
    body = ["    " + line for line in ["l = [1]", "m = [2]", "d = {}", "e = {}", "o = Office()", "g = None", "k = None", "h = {}", "t = ()", "n = []"]]
    body = body + block(rng, 3, 1, 0) + block(rng, 3, 1, 0) + ["    return a"]
    text = "\\n".join(["def work(a, b, c):"] + body) + "\\n"
    all_lines = sorted({node.lineno for node in ast.walk(ast.parse(text)) if isinstance(node, ast.stmt) and not isinstance(node, (ast.FunctionDef, ast.Nonlocal))})
    # The first line of each function is followed; of the others all, or some.
    keep = 1.0 if number % 2 else 0.6
    firsts = {node.body[0].lineno + isinstance(node.body[0], ast.Nonlocal) for node in ast.walk(ast.parse(text)) if isinstance(node, ast.FunctionDef)}
    lines = {line for line in all_lines if line in firsts or rng.random() < keep}
    ours, theirs = told(text, lines, Effects), told(text, lines, Everything)
    if ours != theirs:
        at = next((index for index, pair in enumerate(zip(ours[0], theirs[0])) if pair[0] != pair[1]), -1)
        print(text)
        print("followed:", sorted(lines))
        print("ours:  ", ours[0][max(0, at - 2):at + 1], ours[1])
        print("theirs:", theirs[0][max(0, at - 2):at + 1], theirs[1])
        sys.exit(1)
    lines_seen += len(ours[0])
print("told the same at %d lines" % lines_seen)
`;

it.each(typicalPythons())('looks at every variable that may have changed: Python $version', ({ path }) => {
  const seed = `${Date.now() % 1_000_000}`;
  const { stdout, stderr } = spawnSync(path, ['-c', SCRIPT, agentFolder('python'), seed, '40'], {
    encoding: 'utf8',
  });
  expect({ seed, stderr, stdout }).toEqual({
    seed,
    stderr: '',
    stdout: expect.stringMatching(/^told the same at \d{3,} lines\n$/),
  });
});
