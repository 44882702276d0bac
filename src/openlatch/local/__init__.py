"""What runs on one machine for the demo, the tour and the tests: databases, stand-ins, service and worker together.

Every process is started so that the kernel ends it when its starter dies, however that happens.
"""
