"""A real LDAP server (OpenLDAP's slapd) in one folder, on loopback, with a certificate of an authority of its own."""

from __future__ import annotations

import datetime as dt
import ipaddress
import socket
import subprocess
import time
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

import ldap3
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from openlatch.local.ports import kept_port

__all__ = ["BASE", "LATCH", "PASSWORD", "Directory"]

BASE = "dc=kestrelridge,dc=example"
LATCH = f"cn=latch,ou=programs,{BASE}"
PASSWORD = "only-for-these-tests"
_CONFIG = """
include /etc/ldap/schema/core.schema
include /etc/ldap/schema/cosine.schema
include /etc/ldap/schema/nis.schema
include /etc/ldap/schema/inetorgperson.schema
modulepath /usr/lib/ldap
moduleload back_mdb
moduleload ppolicy
pidfile {folder}/pid
TLSCertificateFile {folder}/server.pem
TLSCertificateKeyFile {folder}/server.key
TLSCACertificateFile {folder}/authority.pem
sizelimit 25
database mdb
suffix "{base}"
rootdn "cn=root,{base}"
rootpw {password}
directory {folder}/data
maxsize 33554432
lastbind on
limits dn.exact="{latch}" size.soft=25 size.hard=25 size.pr=30 size.prtotal=unlimited
limits dn.exact="cn=narrow,ou=programs,{base}" size.pr=30 size.prtotal=unlimited
limits dn.exact="cn=short,ou=programs,{base}" size.soft=25 size.hard=25 size.prtotal=disabled
overlay ppolicy
ppolicy_default "cn=default,ou=programs,{base}"
access to attrs=userPassword by dn.exact="{latch}" auth by * auth
access to * by dn.exact="{latch}" write by dn.children="ou=programs,{base}" read by * auth
"""


class Directory:
    """The server; its root may do everything."""

    def __init__(self, folder: Path, entries: str) -> None:
        self.folder = folder
        self.port = kept_port(folder / "port")
        self.url = f"ldap://localhost:{self.port}"
        self._certificates()
        (folder / "data").mkdir()
        config = folder / "slapd.conf"
        config.write_text(_CONFIG.format(folder=folder, base=BASE, latch=LATCH, password=PASSWORD))
        ldif = folder / "entries.ldif"
        ldif.write_text(entries)
        subprocess.run(["/usr/sbin/slapadd", "-f", config, "-l", ldif], check=True, capture_output=True)
        self.start()

    def start(self) -> None:
        config = self.folder / "slapd.conf"
        addresses = f"ldap://127.0.0.1:{self.port}"
        with (self.folder / "log").open("ab") as log:
            self._process = subprocess.Popen(
                ["/usr/sbin/slapd", "-d", "0", "-f", config, "-h", addresses], stdout=log, stderr=log
            )
        for _ in range(200):
            with suppress(OSError), socket.create_connection(("127.0.0.1", self.port), timeout=5):
                return
            time.sleep(0.05)
        raise AssertionError((self.folder / "log").read_text())

    def stop(self) -> None:
        self._process.terminate()
        self._process.wait(30)

    @property
    def authority(self) -> str:
        return (self.folder / "authority.pem").read_text()

    def root(self) -> ldap3.Connection:
        """Whoever may do everything, signed in."""
        server = ldap3.Server("127.0.0.1", self.port, get_info=ldap3.NONE)
        return ldap3.Connection(server, f"cn=root,{BASE}", PASSWORD, auto_bind=True, raise_exceptions=True)

    def lets_in(self, dn: str, password: str = PASSWORD) -> bool:
        """Whether somebody can really sign in."""
        server = ldap3.Server("127.0.0.1", self.port, get_info=ldap3.NONE)
        connection = ldap3.Connection(server, dn, password)
        try:
            return connection.bind()
        finally:
            connection.unbind()

    def shown(self, dn: str, *names: str) -> Mapping[str, list[str]]:
        """What the directory says of somebody."""
        root = self.root()
        root.search(dn, "(objectClass=*)", ldap3.BASE, attributes=list(names))
        (found,) = root.response
        root.unbind()
        return {name: [str(value) for value in found["attributes"].get(name, [])] for name in names}

    def _certificates(self) -> None:
        now = dt.datetime(2020, 1, 1, tzinfo=dt.UTC)
        authority, own = ec.generate_private_key(ec.SECP256R1()), ec.generate_private_key(ec.SECP256R1())
        issuer = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Authority of these tests")])
        names = [x509.DNSName("localhost"), x509.IPAddress(ipaddress.ip_address("127.0.0.2"))]

        def made(subject: x509.Name, key: ec.EllipticCurvePrivateKey, *, root: bool) -> bytes:
            builder = (
                x509.CertificateBuilder()
                .subject_name(subject)
                .issuer_name(issuer)
                .public_key(key.public_key())
                .serial_number(x509.random_serial_number())
                .not_valid_before(now)
                .not_valid_after(now + dt.timedelta(days=36500))
                .add_extension(x509.BasicConstraints(ca=root, path_length=None), critical=True)
            )
            builder = builder if root else builder.add_extension(x509.SubjectAlternativeName(names), critical=False)
            return builder.sign(authority, hashes.SHA256()).public_bytes(serialization.Encoding.PEM)

        (self.folder / "authority.pem").write_bytes(made(issuer, authority, root=True))
        subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "localhost")])
        (self.folder / "server.pem").write_bytes(made(subject, own, root=False))
        form = (serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
        (self.folder / "server.key").write_bytes(own.private_bytes(*form))
