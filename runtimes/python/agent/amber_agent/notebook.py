"""Runs cells of a notebook, each when it is asked for: what `amber launch season.ipynb` starts.

A JSON object a line, {"run": 2, "name": "season.ipynb#2", "text": …}, is read from descriptor 3, and answered on
descriptor 4: {"ran": 2, "number": 5, "error": null or {"type": …, "text": …}}. IPython runs them where it is installed.
"""

from __future__ import annotations

import ast
import json
import linecache
import os
import sys
import traceback
from types import ModuleType, SimpleNamespace

from . import cells

ASKED, TOLD = 3, 4
_AWAITS = getattr(ast, "PyCF_ALLOW_TOP_LEVEL_AWAIT", 0)
_COROUTINE = 0x80


class Plain:
    """Python alone: the statements of a cell one after the other, and what comes of the last one is shown."""

    def __init__(self, module: ModuleType) -> None:
        self.user_ns = vars(module)
        # As IPython's compiler has them (cells.py).
        self.compile = SimpleNamespace(flags=0, _filename_map={})
        self._loop = None
        self._number = 0
        self._error = None

    def run(self, name: str, text: str) -> tuple:
        self._number += 1
        self._error = None
        linecache.cache[name] = (len(text), None, text.splitlines(True), name)
        try:
            body = compile(text, name, "exec", ast.PyCF_ONLY_AST | self.compile.flags, True).body
            self._run_statements(name, body)
        except (SyntaxError, ValueError) as error:
            self._failed(error)
        return self._number, self._error

    def _run_statements(self, name: str, body: list) -> None:
        for node in body:
            is_shown = node is body[-1] and isinstance(node, ast.Expr)
            part = ast.Interactive(body=[node]) if is_shown else ast.Module(body=[node], type_ignores=[])
            code = compile(part, name, "single" if is_shown else "exec", self.compile.flags | _AWAITS, True)
            # What a cell has imported from the future is so for those after it.
            self.compile.flags |= code.co_flags & cells.FUTURE
            self.run_code(code)
            if self._error is not None:
                return

    def run_code(self, code, _result=None) -> None:
        try:
            if code.co_flags & _COROUTINE:
                import asyncio

                self._loop = self._loop or asyncio.new_event_loop()
                self._loop.run_until_complete(eval(code, self.user_ns))
            else:
                exec(code, self.user_ns)
        except BaseException as error:
            # Also where it leaves (sys.exit): the other cells are there still.
            self._failed(error)

    def _failed(self, error: BaseException) -> None:
        self._error = error
        trace = error.__traceback__
        while trace is not None and trace.tb_frame.f_code.co_filename == __file__:
            trace = trace.tb_next
        traceback.print_exception(type(error), error, trace)


class WithIPython:
    """IPython's shell, whose cells go by their places in the notebook."""

    def __init__(self, interactive_shell) -> None:
        self._shell = interactive_shell.instance()
        # Of an older or newer one the names of cells are its own.
        self._shell.compile.get_code_name = self._name_of
        self._name = ""

    def _name_of(self, *_texts) -> str:
        return self._name

    def run(self, name: str, text: str) -> tuple:
        self._name = name
        number = self._shell.execution_count
        result = self._shell.run_cell(text, store_history=True)
        return number, result.error_before_exec or result.error_in_exec


def ipython():
    """The class of IPython's shell, set up to leave nothing behind; None where it is not installed."""
    try:
        from IPython.core.interactiveshell import InteractiveShell
        from traitlets.config import Config
    except ImportError:
        return None
    config = Config()
    config.HistoryManager.enabled = False
    config.InteractiveShell.colors = "NoColor"

    class Shell(InteractiveShell):
        @classmethod
        def instance(cls, **options):
            return super().instance(config=config, **options)

    return Shell


def main() -> None:
    for descriptor in (ASKED, TOLD):
        os.set_inheritable(descriptor, False)
    # As for a script in that folder.
    sys.path[0] = os.getcwd()
    module = ModuleType("__main__")
    sys.modules["__main__"] = module
    found = None if os.environ.pop("AMBER_NOTEBOOK_PLAIN", "") else ipython()
    runner = Plain(module) if found is None else WithIPython(found)
    if found is None:
        cells.use(runner)
    with os.fdopen(ASKED, encoding="utf-8") as asked, os.fdopen(TOLD, "w", encoding="utf-8") as told:
        told.write(json.dumps({"ready": True, "shell": None if found is None else "IPython"}) + "\n")
        told.flush()
        for line in asked:
            wanted = json.loads(line)
            number, error = runner.run(wanted["name"], wanted["text"])
            sys.stdout.flush()
            sys.stderr.flush()
            about = None if error is None else {"type": type(error).__name__, "text": str(error)[:300]}
            told.write(json.dumps({"ran": wanted["run"], "number": number, "error": about}) + "\n")
            told.flush()
