"""Runs the slices of a run of Interligo as the tasks of a Spark job, one task for each.

A slice that ends with a message of the program has looked at its data: running it again would say the same, so its
message is the result. One that was killed, or whose machine is gone, fails its task, and Spark runs it again.
"""

import json
import os
import subprocess
import sys

from pyspark import SparkContext, SparkFiles

program, plan, folder, slices, result = sys.argv[1:6]
options = sys.argv[7:]


def run(number):
    path = SparkFiles.get(program)
    os.chmod(path, 0o755)
    command = [path, "run", "--plan", plan, "--slice", f"{number}/{slices}", "--into", folder]
    command += options
    done = subprocess.run(
        command + ["--threads", os.environ.get("INTERLIGO_THREADS", "1")],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.PIPE,
    )
    if done.returncode < 0 or done.returncode > 4:
        raise RuntimeError(f"slice {number} was killed (status {done.returncode})")
    return number, done.returncode, done.stderr.decode("utf-8", "replace")


context = SparkContext()
context.setLogLevel("WARN")
todo = [int(number) for number in sys.argv[6].split(",")]
ended = context.parallelize(todo, len(todo)).map(run).collect()
with open(result, "w", encoding="utf-8") as file:
    json.dump(ended, file)
context.stop()
