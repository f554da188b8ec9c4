"""Growth: did they grow as much as could be expected?"""
