#!/bin/sh
# Runs a command with a folder of its own for temporary files, gone when it ends: in memory, if there is plenty and
# programs can be started from there; else where temporary files usually lie. Use: sh tools/suite.sh COMMAND...
set -u
NEEDED=6000000 # kB that must be free

free_kb() { df -Pk "$1" 2>/dev/null | awk 'NR == 2 { print $4 }'; }
memory_kb() { awk '/^MemAvailable/ { print $2 }' /proc/meminfo 2>/dev/null; }
starts() { # whether a program can be started from there
    printf '#!/bin/sh\n' >"$1/try" && chmod +x "$1/try" && "$1/try" 2>/dev/null && rm "$1/try"
}

folder=
if [ -w /dev/shm ] && [ "$(free_kb /dev/shm)" -gt $NEEDED ] && [ "$(memory_kb)" -gt $NEEDED ]; then
    folder=$(mktemp -d /dev/shm/glyphos-tests.XXXXXX) || folder=
    if [ -n "$folder" ] && ! starts "$folder"; then
        rm -rf "$folder"
        folder=
    fi
fi
[ -n "$folder" ] || folder=$(mktemp -d) || exit 1
trap 'rm -rf "$folder"' EXIT
trap 'exit 130' INT
trap 'exit 143' TERM
# Threads of linear algebra would only wait for each other beside tests that run side by side
GLIBC_TUNABLES=glibc.malloc.hugetlb=1:glibc.malloc.mmap_threshold=536870912:glibc.malloc.trim_threshold=536870912:glibc.malloc.top_pad=16777216 OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 TMPDIR=$folder XDG_CACHE_HOME=$folder/cache "$@"
