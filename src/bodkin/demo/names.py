"""Invented names: first and family names of several origins, joined by chance."""

GIVEN = """
Abel Ada Afonso Ailsa Amara Anouk Anselm Arda Beatriz Benno Briar Caio Calla Cedric Clio Corin Dalia
Davi Delphine Dilan Edda Eira Elio Elvira Enzo Esme Fabian Farah Fern Fia Gil Greta Hana Haro Heitor
Hollis Ida Ilse Inez Ione Isak Ivo Jaro Jonas Jovan Juno Kaia Kesia Kofi Lais Lark Leif Lidia Linnea
Lorcan Luz Mael Maren Marisol Mateus Merle Mika Milo Nadia Nils Noor Nuno Oona Orla Otis Otto
Pascoal Petra Piran Quim Rafe Ravi Renata Rhea Roan Rosa Rui Saskia Selim Senna Sol Sunniva Tadeu
Tamsin Teo Thea Tiago Tove Ulla Una Vasco Vera Wilf Wren Xana Yara Yusuf Zelda Zeno Zita
""".split()

FAMILY = """
Abrantes Achterberg Aldous Amador Anwar Arkell Azevedo Bastable Beckwith Bexley Boaz Brandao Brisk
Cabral Calder Cardoso Carrow Castellan Coster Cray Dacosta Dalgaard Delft Dunmore Eastlake Ekdahl
Fairlie Falcao Farrow Fenwright Figueira Galvao Garrick Gorse Haldane Harrow Hedlund Hext Holm
Isherwood Jardim Jessop Kerrow Keswick Kestrel Lacey Lamego Larkin Leme Lindqvist Loveday Lusk
Mareth Marlow Marsh Mendonca Merrin Mistry Moura Nance Nazari Nogueira Norrow Oakhampton Okoro
Olander Oxley Pascoe Pellow Penrose Pereyra Pinhal Quaresma Quill Quist Ramage Rendle Ribas Rosado
Sandhu Sarkis Seabrook Serpa Sexton Silveira Stanmer Strand Tavares Teixeira Thorne Tolliver Tregear
Umar Usher Valadao Varley Vance Voss Waring Wendel Wexcombe Whitlow Wray Xavier Yarrow Yelland
Zagalo Zander
""".split()
