"""Makes what is made from a node: its picture, its figures, its page. Run: PYTHONPATH=src .venv/bin/python
tools/make_node.py KIND"""

import subprocess
import sys
from pathlib import Path

TOOLS = Path(__file__).parent

if __name__ == "__main__":
    if len(sys.argv) != 2:
        sys.exit("Say which kind of node: tools/make_node.py terrace")
    for command in (["make_gallery.py", sys.argv[1]], ["make_golden.py", sys.argv[1]], ["make_docs.py"]):
        subprocess.run([sys.executable, str(TOOLS / command[0]), *command[1:]], check=True)
