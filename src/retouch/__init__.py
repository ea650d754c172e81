"""The core of Needlepoint: pictures, areas and touches as numpy arrays. It imports no web code."""
