"""Lessons: tasks, groups' copies, what is given and lent, everyone's answers, and handing in."""
