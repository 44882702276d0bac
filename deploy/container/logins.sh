#!/bin/sh
# Run once by the database's image, when there is no data yet: two logins, neither of which passes over row-level
# security, and the database that the first one owns.
set -eu
psql --set ON_ERROR_STOP=1 --username "$POSTGRES_USER" \
    --set owner="$OPENLATCH_OWNER_PASSWORD" --set service="$OPENLATCH_SERVICE_PASSWORD" <<'SQL'
create role openlatch_owner login password :'owner';
create role openlatch login password :'service';
create database openlatch owner openlatch_owner;
SQL
