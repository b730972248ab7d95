"""Started by `amber launch` on a notebook; what is done is in amber_agent/notebook.py, of the package that is there already."""

from amber_agent import notebook

notebook.main()
