"""Words and names that generators draw from. Made up for the harbour; a change here changes
testers' data, so raise VERSION."""

from __future__ import annotations

VERSION = 1
WORDS = tuple(
    """\
    anchor arrival autumn ballast barge bay beacon berth bilge boat bollard bow breeze bridge buoy
    cabin cable calm canal captain cargo chart coast compass cove crane crate crew crossing
    current dawn deck depth dock drift dusk ebb eddy engine ensign estuary fender ferry fjord
    flag fleet float flood foam fog freight funnel gale galley gangway gate gull gust harbour
    hatch haul haven hawser helm hold horizon hull inlet island jetty keel knot ladder lagoon
    lantern launch lead ledger lifeboat lighthouse line lock log longboat mast mast-head meadow
    mist mole moon mooring morning navigation net night north oar ocean officer outpost packet
    paint pier pilot pint plank pole pontoon port quarter quay queue raft rain reed reef ripple
    river rope rudder sail salt sand sandbank sea seal seaweed shallow shelf ship shore signal
    slip sloop sound south spar spray squall station steam steel stern stone storm strait stream
    summer sun swell tackle tar tide tiller timber tonnage tower trawler tug turbine valve
    vessel village voyage wake warehouse watch water wave west wharf whistle winch wind winter
    wreck yard yarn""".split()
)
FIRST_NAMES = tuple(
    """\
    Ada Alva Amund Anja Arne Astrid Bente Birk Bodil Cato Dagny Eivind Elin Embla Erlend Eskil Even
    Fredrik Frida Gro Guro Hakon Hedda Helle Idun Inga Ingvild Ivar Jens Jorun Kari Kjell Lars
    Leif Lise Lone Magnus Mari Mats Mina Nils Nora Oda Odin Ola Oline Per Ragna Reidar Rolf Runa
    Sander Signe Sigrid Silje Sindre Siri Solveig Stein Sunniva Sverre Synne Tiril Tor Torunn
    Trygve Tuva Ulrik Une Vidar Vilde Yngve""".split()
)
LAST_NAMES = tuple(
    """\
    Aldersund Askeland Bakke Berg Brekke Dahl Eide Engen Fernholm Fjeld Foss Grimstad Haga Halvorsen
    Haugen Holm Hovland Iversen Kleiva Knudsen Kvamme Langaas Lie Lunde Marrow Moe Myhre Ness
    Nygaard Oddvik Rognlien Rud Saltvik Sandnes Skaar Solberg Strand Sund Svendsen Tangen Tveit
    Ulvik Vik Wold""".split()
)
