"""The figures that the README quotes, each as a ratio to a plain reference in the same run."""
