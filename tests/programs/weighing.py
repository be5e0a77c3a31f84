# Weighs barges for ever, through functions that call each other, so that the interpreter's frames pile up.
import sys, time
sys.path.insert(0, sys.argv[1])
import weigh

def told(most):
    return most + 1

def day(depth, loads):
    if depth == 0:
        return weigh.weigh(loads, told)
    return day(depth - 1, loads)

print("ready", flush=True)
for round in range(100000):
    day(5, [12, 40, 31, round % 50])
    time.sleep(0.002)
