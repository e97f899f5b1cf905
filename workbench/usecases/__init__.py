"""What can be done, each as one callable: asks who may, writes in one transaction, refuses in words. Pages, doors and commands only translate."""
