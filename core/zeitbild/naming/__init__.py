"""File-name rules: fields, checks, and the list of files a shot gives."""

from zeitbild.naming.plan import Output, Plan, Sequenced, Wanted, code_of, plan_files, sequences
from zeitbild.naming.rule import FIELDS, NamingRule

__all__ = ["FIELDS", "NamingRule", "Output", "Plan", "Sequenced", "Wanted", "code_of", "plan_files", "sequences"]
