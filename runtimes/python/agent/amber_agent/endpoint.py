"""Where a client connects: a Unix socket beside the description file, or a TCP port when asked for."""

from __future__ import annotations

import hmac
import os
import socket
import struct

from . import description


class Endpoint:
    """The listening socket of this process."""

    def __init__(self) -> None:
        asked = os.environ.get("AMBER_LISTEN")
        self.token = os.environ.get("AMBER_TOKEN", "")
        self.path = None
        if asked:
            if not self.token:
                raise OSError("AMBER_LISTEN needs AMBER_TOKEN: a debug port is a remote shell")
            host, _, port = asked.rpartition(":")
            self.socket = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
            self.socket.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            self.socket.bind((host or "127.0.0.1", int(port)))
        else:
            self.path = "%s/%d.sock" % (description.run_folder(), os.getpid())
            self.socket = _bind_unix(self.path)
        # Anybody may knock at a port; whoever has the token is not to wait behind them.
        self.socket.listen(4 if self.path else 128)
        self.socket.setblocking(False)
        description.listens()
        self._inode = os.fstat(self.socket.fileno()).st_ino

    @property
    def is_there(self) -> bool:
        """Whether the socket is still ours: a program may close every descriptor, and open others of the same numbers."""
        try:
            return os.fstat(self.socket.fileno()).st_ino == self._inode
        except OSError:
            return False

    @property
    def lasting(self) -> bool:
        """A TCP endpoint was asked for and stays open; a Unix socket goes with its client."""
        return self.path is None

    def refuses(self, token: object) -> bool:
        """Whether a client that brings `token` must be turned away (constant time)."""
        if self.path is not None:
            return False
        return not hmac.compare_digest(str(token or "").encode(), self.token.encode())

    def renewed(self) -> tuple:
        """Close this endpoint; where a connection was waiting on it, open another.

        Returns (this endpoint, None) or (a new endpoint, the connection).
        """
        self._unlink()
        try:
            connection, _address = self.socket.accept()
        except OSError:
            return self, None
        connection.setblocking(False)
        self.socket.close()
        return Endpoint(), connection

    def close(self) -> None:
        self._unlink()
        if self.is_there:
            self.socket.close()
        else:
            self.socket.detach()

    def _unlink(self) -> None:
        if self.path is not None:
            try:
                os.unlink(self.path)
            except OSError:
                pass


def peer_pid(connection: socket.socket) -> int:
    """The pid at the other end of a Unix socket; 0 where the system does not tell."""
    try:
        packed = connection.getsockopt(socket.SOL_SOCKET, socket.SO_PEERCRED, struct.calcsize("3i"))
        return struct.unpack("3i", packed)[0]
    except (OSError, AttributeError):
        return 0


def _bind_unix(path: str) -> socket.socket:
    listening = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
    try:
        os.unlink(path)
    except FileNotFoundError:
        pass
    # Bound under another name and renamed, so that the name appears only when connecting works.
    listening.bind(path + ".new")
    os.chmod(path + ".new", 0o600)
    listening.listen(4)
    os.rename(path + ".new", path)
    return listening
