"""A little mail server and a little web server on loopback, for tests: what they take stands in files.

servers.py FOLDER CERTIFICATE KEY: writes ports to FOLDER/ports, then serves until it is killed."""
import hashlib, http.server, json, pathlib, ssl, sys, threading
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import AuthResult

folder, certificate, key = pathlib.Path(sys.argv[1]), sys.argv[2], sys.argv[3]


def tls():
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(certificate, key)
    return context


class Keep:
    def __init__(self, name):
        self.name = name

    async def handle_DATA(self, server, session, envelope):
        (folder / f"mail-{self.name}").write_bytes(envelope.content)
        return "250 taken"


def check(server, session, envelope, mechanism, data):
    right = data.login == b"bench" and data.password == b"ebb and flood"
    return AuthResult(success=right)


def mail(name, **how):
    controller = Controller(Keep(name), hostname="127.0.0.1", port=0, **how)
    # Any free port: the controller itself wants to know it before it is open.
    import socket
    probe = socket.socket()
    probe.bind(("127.0.0.1", 0))
    controller.port = probe.getsockname()[1]
    probe.close()
    controller.start()
    return controller.port


class Post(http.server.BaseHTTPRequestHandler):
    def do_POST(self):
        body = self.rfile.read(int(self.headers["Content-Length"]))
        (folder / "posted").write_bytes(body)
        (folder / "posted-signature").write_text(self.headers.get("Jurex-Signature", ""))
        self.send_response(500 if self.path == "/broken" else 302 if self.path == "/elsewhere" else 204)
        if self.path == "/elsewhere":
            self.send_header("Location", "/")
        self.end_headers()

    def log_message(self, *_):
        pass


web = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Post)
web.socket = tls().wrap_socket(web.socket, server_side=True)
threading.Thread(target=web.serve_forever, daemon=True).start()
ports = {
    "plain": mail("plain"),
    "starttls": mail("starttls", tls_context=tls(), require_starttls=True, authenticator=check, auth_required=True),
    "tls": mail("tls", ssl_context=tls()),
    "web": web.server_address[1],
}
(folder / "ports.new").write_text(json.dumps(ports))
(folder / "ports.new").rename(folder / "ports")
threading.Event().wait()
