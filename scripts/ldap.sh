# A directory (slapd) for the tests: loopback only, with a certificate of its own, gone with the run.

LDAP=$LOCAL/test-ldap

ldap_ensure() {
  [[ -x /usr/sbin/slapd ]] || step "Installing slapd" debian_install slapd
  ldap_stop
  step "Starting the directory" ldap_start
}

ldap_start() {
  local folder port schema
  mkdir -p "$LDAP"
  folder=$(mktemp -d /var/tmp/rostrum-ldap-XXXXXXXX)
  printf '%s\n' "$folder" >"$LDAP/folder"
  mkdir "$folder/data"
  openssl req -x509 -newkey rsa:2048 -nodes -days 30 -subj /CN=localhost -addext 'subjectAltName=DNS:localhost,IP:127.0.0.1' \
    -keyout "$folder/key.pem" -out "$folder/cert.pem" 2>/dev/null
  {
    for schema in core cosine inetorgperson; do printf 'include /etc/ldap/schema/%s.schema\n' "$schema"; done
    printf 'modulepath /usr/lib/ldap\nmoduleload back_mdb\npidfile %s/pid\n' "$folder"
    printf 'TLSCertificateFile %s/cert.pem\nTLSCertificateKeyFile %s/key.pem\n' "$folder" "$folder"
    printf 'database mdb\nsuffix "dc=brackwater,dc=example"\nrootdn "cn=admin,dc=brackwater,dc=example"\nrootpw lantern-room-3\n'
    printf 'directory %s/data\naccess to attrs=userPassword by anonymous auth by * none\naccess to * by users read\n' "$folder"
  } >"$folder/slapd.conf"
  /usr/sbin/slapadd -f "$folder/slapd.conf" -l tests/ldap/people.ldif >"$folder/load.log" 2>&1
  port=$(free_port)
  printf '%s\n' "$port" >"$LDAP/port"
  setsid /usr/sbin/slapd -f "$folder/slapd.conf" -h "ldap://127.0.0.1:$port" >"$folder/slapd.log" 2>&1 </dev/null
  wait_until 20 ldap_answers
}

ldap_answers() { (exec 3<>"/dev/tcp/127.0.0.1/$(<"$LDAP/port")") 2>/dev/null; }

# What the tests need: where it is, and whose certificate to trust.
ldap_environment() {
  export ROSTRUM_TEST_LDAP LDAPTLS_CACERT
  ROSTRUM_TEST_LDAP=$(<"$LDAP/port")
  LDAPTLS_CACERT=$(<"$LDAP/folder")/cert.pem
}

ldap_stop() {
  local folder
  folder=$(cat "$LDAP/folder" 2>/dev/null) || return 0
  kill "$(cat "$folder/pid" 2>/dev/null)" 2>/dev/null || true
  rm -rf "$folder" "$LDAP"
}
