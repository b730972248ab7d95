"""What has happened to a claim, from its first event on."""
from states import STATES, after


def replay(events):
    state = STATES["new"]
    trace = [state]
    for event in events:
        if state.is_final:
            break
        state = after(state, event)
        trace.append(state)
    return trace
