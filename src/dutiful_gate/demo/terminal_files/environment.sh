# Read it into a shell with   . ./environment.sh
export TERN_LOG=warning
export TERN_SAILINGS__LAST=23:15:00
export TERN_SERVICE_HOST=192.0.2.17
