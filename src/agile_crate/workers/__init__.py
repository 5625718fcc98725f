"""How work is spread: over threads, over processes beside this one, over a cluster; and where pixels lie meanwhile."""
