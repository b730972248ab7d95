"""A small kernel: IPython behind the Jupyter messaging protocol (version 5.3), one connection file its argument.

The shell's requests are served in the main thread, one after the other, and those of the control channel in a thread
of their own, as the protocol has it; the heartbeat is zmq's own.
"""

import json
import os
import signal
import sys
import threading

import zmq
from IPython.core.interactiveshell import InteractiveShell
from jupyter_client.session import Session


class Out:
    """Standard output as messages."""

    encoding = "utf-8"

    def __init__(self, kernel, name):
        self.kernel, self.name = kernel, name

    def write(self, text):
        self.kernel.publish("stream", {"name": self.name, "text": text})
        return len(text)

    def flush(self):
        pass

    def isatty(self):
        return False


class Kernel:
    def __init__(self, info):
        self.session = Session(key=info["key"].encode(), signature_scheme=info["signature_scheme"])
        context = zmq.Context()
        self.lock = threading.Lock()
        self.parent = {}

        def socket(kind, port):
            one = context.socket(kind)
            one.bind("%s://%s:%d" % (info["transport"], info["ip"], info[port]))
            return one

        self.shell_socket = socket(zmq.ROUTER, "shell_port")
        self.control = socket(zmq.ROUTER, "control_port")
        self.iopub = socket(zmq.PUB, "iopub_port")
        self.heartbeat = socket(zmq.REP, "hb_port")
        self.shell = InteractiveShell.instance()
        self.shell.colors = "NoColor"
        if os.environ.get("FERRY_NAMES") == "text":
            # As most kernels do: the same text has the same name, under which the last number is kept.
            self.shell.compile.get_code_name = lambda raw, _transformed, _number: "/tmp/ferry/%x.py" % (hash(raw) & 0xFFFFFF)

    def publish(self, kind, content):
        with self.lock:
            self.session.send(self.iopub, kind, content, parent=self.parent)

    def reply(self, socket, idents, message, kind, content):
        self.session.send(socket, kind, content, parent=message, ident=idents)

    def beat(self):
        zmq.device(zmq.FORWARDER, self.heartbeat, self.heartbeat)

    def serve_control(self):
        while True:
            idents, message = self.session.recv(self.control, mode=0)
            kind = message["header"]["msg_type"]
            if kind == "interrupt_request":
                os.kill(os.getpid(), signal.SIGINT)
                self.reply(self.control, idents, message, "interrupt_reply", {"status": "ok"})
            elif kind == "kernel_info_request":
                self.reply(self.control, idents, message, "kernel_info_reply", self.about())
            elif kind == "shutdown_request":
                self.reply(self.control, idents, message, "shutdown_reply", {"status": "ok", "restart": False})
                os._exit(0)

    def about(self):
        return {
            "status": "ok",
            "protocol_version": "5.3",
            "implementation": "ferry",
            "implementation_version": "1",
            "language_info": {"name": "python", "version": sys.version.split()[0], "file_extension": ".py"},
            "banner": "",
        }

    def execute(self, idents, message):
        content, cell = message["content"], message["metadata"].get("cellId")
        known = {"cell_id": cell} if cell is not None else {}
        self.publish("execute_input", {"code": content["code"], "execution_count": self.shell.execution_count})
        result = self.shell.run_cell(content["code"], store_history=True, **known)
        error = result.error_in_exec or result.error_before_exec
        count = self.shell.execution_count - 1
        answer = {"status": "error" if error else "ok", "execution_count": count}
        if error:
            answer.update(ename=type(error).__name__, evalue=str(error), traceback=[])
        elif result.result is not None:
            self.publish("execute_result", {"execution_count": count, "data": {"text/plain": repr(result.result)}, "metadata": {}})
        self.reply(self.shell_socket, idents, message, "execute_reply", answer)

    def serve(self):
        for work in (self.beat, self.serve_control):
            threading.Thread(target=work, daemon=True).start()
        print("serving", flush=True)
        sys.stdout, sys.stderr = Out(self, "stdout"), Out(self, "stderr")
        while True:
            try:
                idents, message = self.session.recv(self.shell_socket, mode=0)
                self.parent = message
                self.publish("status", {"execution_state": "busy"})
                if message["header"]["msg_type"] == "execute_request":
                    self.execute(idents, message)
                elif message["header"]["msg_type"] == "kernel_info_request":
                    self.reply(self.shell_socket, idents, message, "kernel_info_reply", self.about())
                self.publish("status", {"execution_state": "idle"})
            except KeyboardInterrupt:
                # It came between two cells.
                continue


with open(sys.argv[sys.argv.index("-f") + 1]) as file:
    Kernel(json.load(file)).serve()
