from yardstick_agent.cli import main

main()
