"""`make bench`: every bar that stands so far, each with its ratio."""

from bench.command import e8
from bench.engine import e1, e4
from bench.first_load import s6
from bench.nginx import harbour
from bench.pages import main as s7
from bench.readers import s9_s10
from bench.recorded import e2_e3_e7
from bench.restarts import main as f1
from bench.retention import retained
from bench.rows import e6_s3
from bench.runners import e5
from bench.walls import s1_s2
from bench.watching import f6_s11, s4_s11

with harbour() as address:
    e1(address)
    e2_e3_e7(address)
    e4(address)
    e8(address)
e5()
e6_s3()
s6()
s7()
s9_s10(15)
s1_s2()
s4_s11()
f6_s11()
retained()
f1(5)
