"""Runs a command and prints its seconds and its peak memory in KB.

A process of its own, with nothing imported that it can do without: a child's peak is never told as less than what its
parent used when it was started.
"""

import os
import sys
import time

began = time.perf_counter()
child = os.fork()
if child == 0:
    os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
    os.execv(sys.argv[1], sys.argv[1:])
_, status, usage = os.wait4(child, 0)
print(time.perf_counter() - began, usage.ru_maxrss)
sys.exit(os.waitstatus_to_exitcode(status))
