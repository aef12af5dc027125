from saltpath.cli import main

main()
