"""A front end: writes a connection file, and then runs what is given on standard input, a JSON object a line.

{"run": TEXT, "cell": ID?} runs a cell and prints what it has printed and how it ended; {"ping": "heartbeat" | "info"}
asks whether the kernel answers; {"interrupt": true} ends what runs. What was begun may be waited for later.
"""

import json
import sys
import threading

from jupyter_client import BlockingKernelClient
from jupyter_client.connect import write_connection_file

write_connection_file(sys.argv[1], ip="127.0.0.1", key=b"ferry-office")
print(json.dumps({"written": sys.argv[1]}), flush=True)
# Until the kernel is there: one that does not beat counts as dead.
sys.stdin.readline()
client = BlockingKernelClient(connection_file=sys.argv[1])
client.load_connection_file()
client.start_channels()
client.wait_for_ready(timeout=120)
client.hb_channel.unpause()
lock = threading.Lock()


def tell(**what):
    with lock:
        print(json.dumps(what), flush=True)


def run(text, cell):
    message = client.session.msg("execute_request", {
        "code": text, "silent": False, "store_history": True, "user_expressions": {},
        "allow_stdin": False, "stop_on_error": True,
    }, metadata={} if cell is None else {"cellId": cell})
    client.shell_channel.send(message)
    known = message["header"]["msg_id"]
    printed = ""
    while True:
        told = client.get_iopub_msg(timeout=300)
        if told["parent_header"].get("msg_id") != known:
            continue
        if told["msg_type"] == "stream":
            printed += told["content"]["text"]
        elif told["msg_type"] == "status" and told["content"]["execution_state"] == "idle":
            break
    reply = client.get_shell_msg(timeout=300)["content"]
    tell(ran=reply["execution_count"], status=reply["status"], error=reply.get("ename"), printed=printed)


def control(kind):
    client.control_channel.send(client.session.msg(kind, {}))
    return client.get_control_msg(timeout=30)["msg_type"]


tell(ready=True)
for line in sys.stdin:
    asked = json.loads(line)
    if "run" in asked:
        threading.Thread(target=run, args=(asked["run"], asked.get("cell")), daemon=True).start()
    elif asked.get("ping") == "heartbeat":
        tell(beating=client.hb_channel.is_beating())
    elif asked.get("ping") == "info":
        tell(answered=control("kernel_info_request"))
    elif asked.get("interrupt"):
        tell(answered=control("interrupt_request"))
