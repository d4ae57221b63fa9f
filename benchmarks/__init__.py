"""The figures that the README quotes, each as a ratio to a plain reference in the same run."""

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as `lazzik` has it
