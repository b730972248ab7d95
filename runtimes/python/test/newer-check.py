import json
import sys

sys.path.insert(0, "/agent")
from amber_agent import quiet, splice
from amber_agent.hits import Tally
from amber_agent.lines import Lines


class Mark:
    """What of a mark the splicing looks at."""

    only = None
    has_rule = False
    inline = True
    request_is_ours = False
    hit = Tally()

    def __init__(self, id, line, kind, values, condition):
        self.id, self.line, self.kind, self.values, self.condition = id, line, kind, values, condition

    def takes_request(self):
        return True


class Probe:
    def __init__(self):
        self.passed, self.failed = {}, {}

    def hit(self, id, _inline):
        self.passed[id] = self.passed.get(id, 0) + 1

    def err(self, id):
        self.failed[id] = self.failed.get(id, 0) + 1

    def enter(self, _id):
        return True

    def leave(self, _id):
        pass

    def direct(self, mark):
        return lambda *values: self.hit(mark.id, True)


def answers(code):
    names = {"__name__": "ferry"}
    module = type(sys)("ferry")
    sys.modules["ferry"] = module
    exec(code, module.__dict__)
    return repr(module.answers)


source = open("/ferry.py", "rb").read()
tree = quiet.parse(source, "/ferry.py")
plain = splice.compile_plain(tree, "/ferry.py")
before = answers(plain)
lines = sorted({statement.start for statement in Lines(tree).statements})
report = {"version": sys.version.split()[0], "lines": len(lines), "answers": before, "kinds": {}}
for kind, values, condition in (("break", [], ""), ("log", ["1", "len('two')"], ""), ("count", [], ""), ("log", ["1"], "1 < 2")):
    probe = Probe()
    marks = [Mark(number + 1, line, kind, values, condition) for number, line in enumerate(lines)]
    code = splice.compile_spliced(source, "/ferry.py", plain, marks, probe)
    pairs = list(splice.twins(plain, code))
    name = kind + (" when" if condition else "")
    report["kinds"][name] = {
        "same": answers(code) == before,
        "failed": probe.failed,
        "never": [mark.line for mark in marks if mark.id not in probe.passed],
        "codes": len(pairs),
        "named": all(one.co_name == other.co_name for _path, one, other in pairs),
    }
json.dumps(report)
