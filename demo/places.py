"""Made-up islands, ports, vessels and people of the Lantern Isles. Nothing here exists."""

ISLANDS = [
    ("ORN", "Orrin", "Outer Lights"),
    ("CAL", "Calder", "Outer Lights"),
    ("NES", "Ness", "Outer Lights"),
    ("SKA", "Skarvey", "Outer Lights"),
    ("BRA", "Brann", "Middle Holms"),
    ("LOH", "Long Holm", "Middle Holms"),
    ("WEA", "Weather Holm", "Middle Holms"),
    ("FIR", "Firth Holm", "Middle Holms"),
    ("TEA", "Teal", "Near Isles"),
    ("MUR", "Murrey", "Near Isles"),
    ("SAN", "Sandrow", "Near Isles"),
    ("GAL", "Gallan", "Near Isles"),
    ("LAN", "Lantern", "Near Isles"),
    ("EBB", "Ebb", ""),
]
PORTS = [
    ("SOR", "Saint Orrin", "ORN"),
    ("ORS", "Orrin Sands", "ORN"),
    ("CSO", "Calder Sound", "CAL"),
    ("CPT", "Calder Point", "CAL"),
    ("WNE", "Wick of Ness", "NES"),
    ("SKV", "Skarvey Hythe", "SKA"),
    ("BRN", "Brannock", "BRA"),
    ("BRE", "Brann East", "BRA"),
    ("LHV", "Long Haven", "LOH"),
    ("LHN", "Long Holm North", "LOH"),
    ("WEH", "Weather Hythe", "WEA"),
    ("FIH", "Firth Haven", "FIR"),
    ("TEQ", "Teal Quay", "TEA"),
    ("TEB", "Teal Bridge", "TEA"),
    ("MUR", "Murrey Strand", "MUR"),
    ("SRW", "Sandrow", "SAN"),
    ("GAN", "Gallan Ness", "GAL"),
    ("LMA", "Lantern Main", "LAN"),
    ("LWE", "Lantern West", "LAN"),
    ("EBB", "Ebbway", "EBB"),
    ("HUL", "The Hulk", ""),
]
VESSELS = [
    ("HRN", "Heron", "large", 420, 380, 2009),
    ("TRN", "Tern", "large", 400, 360, 2012),
    ("CRL", "Curlew", "medium", 260, 210, 2004),
    ("DNL", "Dunlin", "medium", 240, 190, 2016),
    ("EDR", "Eider", "medium", 250, 200, 1998),
    ("GNT", "Gannet", "fast", 180, 0, 2021),
    ("PTL", "Petrel", "fast", 160, 0, 2023),
    ("KNT", "Knot", "small", 90, 60, 1991),
    ("WHM", "Whimbrel", "small", 80, 50, 2001),
]
FIRST = "Alda Bren Cora Dovin Esk Fenna Garrow Hild Ivo Jorun Kesta Lorne Maud Nils Oona Perran Quill Runa Senna Tavish Ulla Vern Wyn Ysolde".split()
LAST = "Ashwick Barrow Corrie Dunmoor Eskdale Farrow Garth Holmes Inver Kelder Lowrie Marsk Northrop Oxley Penrow Rusk Selby Tarn Uller Wick".split()
SEGMENTS = ["islander", "visitor", "haulier", "school", "crew family"]
AGENT_TOWNS = "Harbour Office,Quay Travel,Island Desk,Sound Bookings,Lantern Tours,Holm Agency,Lights Travel,Strand Desk,Ferry Window,Pier Shop,Ness Travel".split(
    ","
)
DISTRICTS = ["Outer Lights", "Middle Holms", "Near Isles", "Mainland"]
FARE_CLASSES = ["walk-on", "islander", "car", "van", "lorry", "cycle"]
# code, name, line, class, order: the lines add up to the margin before depreciation, and with depreciation to the result
ACCOUNTS = [
    ("4000", "Ticket income", "income", "margin before depreciation", 1),
    ("4100", "Freight income", "income", "margin before depreciation", 1),
    ("4200", "On-board sales", "income", "margin before depreciation", 1),
    ("5000", "Fuel", "operating cost", "margin before depreciation", 2),
    ("5100", "Crew pay", "operating cost", "margin before depreciation", 2),
    ("5200", "Harbour dues", "operating cost", "margin before depreciation", 2),
    ("5300", "Repairs", "operating cost", "margin before depreciation", 2),
    ("5400", "Insurance", "operating cost", "margin before depreciation", 2),
    ("6000", "Depreciation", "depreciation", "result", 3),
]
COMMUNITIES = [
    "Orrin Village",
    "Orrin Sands",
    "Calder Crofts",
    "Ness Common",
    "Skarvey",
    "Brannock Town",
    "Long Holm",
    "Weather Holm",
    "Firth",
    "Teal Quay",
    "Murrey",
    "Sandrow",
    "Gallan",
    "Lantern Town",
]
