"""The middle floor: what a screen, the demo, an instrument or the command line want done.

Rows are gathered, the craft's question is built and asked, the answer is kept. One module a
station. Every function takes one `Here`; nothing here knows of a page or a form.
"""
