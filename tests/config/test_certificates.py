"""The room's own authority: what it makes, renews and refuses."""

import asyncio
import datetime
import ipaddress
import ssl

import pytest
from cryptography import x509

from galena.config.certificates import Authority, CertificateError
from galena.config.https import Https, certificate_door

HOSTS = ["192.168.1.5", "galena.local", "127.0.0.1"]
NOW = datetime.datetime(2026, 3, 9, 8, tzinfo=datetime.UTC)


def certificate_of(path):
    return x509.load_pem_x509_certificate(path.read_bytes())


def test_the_authority_is_made_once_and_vouches_for_what_is_here(tmp_path):
    first = Authority(tmp_path, NOW)
    file, key = first.vouch_for(HOSTS)
    again = Authority(tmp_path, NOW + datetime.timedelta(days=1))
    assert again.fingerprint == first.fingerprint
    assert again.vouch_for(HOSTS)[0].read_bytes() == file.read_bytes()
    made = certificate_of(file)
    made.verify_directly_issued_by(first.certificate)
    names = made.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    assert {str(one.value) for one in names} == set(HOSTS)
    assert key.stat().st_mode & 0o077 == 0
    assert (tmp_path / "authority.key").stat().st_mode & 0o077 == 0


def test_another_network_or_the_end_of_its_time_makes_a_new_certificate(tmp_path):
    authority = Authority(tmp_path, NOW)
    before = certificate_of(authority.vouch_for(HOSTS)[0])
    moved = certificate_of(authority.vouch_for([*HOSTS, "10.0.0.7"])[0])
    assert moved.serial_number != before.serial_number
    later = Authority(tmp_path, NOW + datetime.timedelta(days=380))
    renewed = certificate_of(later.vouch_for(HOSTS)[0])
    assert renewed.serial_number != moved.serial_number
    assert renewed.not_valid_after_utc > NOW + datetime.timedelta(days=700)
    assert later.fingerprint == authority.fingerprint


def test_an_authority_that_has_run_out_is_made_anew_with_a_word(tmp_path):
    before = Authority(tmp_path, NOW)
    before.vouch_for(HOSTS)
    after = Authority(tmp_path, NOW + datetime.timedelta(days=3650))
    assert after.fingerprint != before.fingerprint
    assert "has run out" in after.word
    certificate_of(after.vouch_for(HOSTS)[0]).verify_directly_issued_by(after.certificate)


@pytest.mark.parametrize("file", ["authority.pem", "authority.key"])
def test_files_that_were_spoiled_are_told(tmp_path, file):
    Authority(tmp_path, NOW)
    (tmp_path / file).write_text("spoiled")
    with pytest.raises(CertificateError, match="Move that folder away"):
        Authority(tmp_path, NOW)


def test_a_servers_certificate_that_was_spoiled_is_made_anew(tmp_path):
    authority = Authority(tmp_path, NOW)
    authority.vouch_for(HOSTS)[0].write_text("spoiled")
    certificate_of(authority.vouch_for(HOSTS)[0]).verify_directly_issued_by(authority.certificate)


def handshake(server, client, host):
    """Bring two TLS ends together in memory."""
    ways = ssl.MemoryBIO(), ssl.MemoryBIO()
    near = client.wrap_bio(ways[0], ways[1], server_hostname=host)
    far = server.wrap_bio(ways[1], ways[0], server_side=True)
    for _ in range(10):
        for end in (near, far):
            try:
                end.do_handshake()
            except ssl.SSLWantReadError:
                continue
    return near.version()


def test_a_device_that_knows_the_authority_trusts_the_server(tmp_path):
    https = Https(tmp_path)
    https.renew(["192.168.1.5"])
    client = ssl.create_default_context(cafile=str(https.authority.file))
    for host in ("192.168.1.5", "galena.local", "localhost"):
        assert handshake(https.context, client, host).startswith("TLSv1.")
    with pytest.raises(ssl.SSLCertVerificationError):
        handshake(https.context, client, "192.168.1.6")
    https.renew(["192.168.1.6"])  # the computer came into another network
    assert handshake(https.context, client, "192.168.1.6")


def test_an_address_beyond_private_networks_does_not_spoil_the_others(tmp_path):
    https = Https(tmp_path)
    https.renew(["8.8.8.8", "10.0.0.7"])
    client = ssl.create_default_context(cafile=str(https.authority.file))
    assert handshake(https.context, client, "10.0.0.7")
    with pytest.raises(ssl.SSLCertVerificationError):
        handshake(https.context, client, "8.8.8.8")


def test_the_authority_cannot_vouch_for_the_world(tmp_path):
    authority = Authority(tmp_path, NOW)
    constraints = authority.certificate.extensions.get_extension_for_class(x509.NameConstraints)
    assert constraints.critical
    allowed = [one.value for one in constraints.value.permitted_subtrees]
    assert "local" in allowed
    assert all(one in ("local", "localhost") or one.is_private for one in allowed)
    assert ipaddress.ip_network("192.168.0.0/16") in allowed


def asked(application, path, host=b"192.168.1.5:8001"):
    sent = []

    async def send(message):
        sent.append(message)

    scope = {"type": "http", "path": path, "headers": [(b"host", host)]}
    asyncio.run(application(scope, None, send))
    return dict(sent[0]["headers"]), sent[1]["body"]


def test_devices_get_the_certificate_and_a_way_on(tmp_path):
    authority = Authority(tmp_path, NOW)
    application = certificate_door(authority, 8000)
    headers, body = asked(application, "/")
    assert b"https://192.168.1.5:8000/" in body
    assert authority.fingerprint.encode() in body
    assert b"iPad" in body and b"Android" in body and b"Windows" in body
    headers, body = asked(application, "/authority.crt")
    assert headers[b"content-type"] == b"application/x-x509-ca-cert"
    assert x509.load_pem_x509_certificate(body) == authority.certificate
    assert b"<script" not in asked(application, "/", b"<script>:1")[1]
