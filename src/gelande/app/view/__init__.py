"""The view: Relief and Plan pictures of a result, the camera, and the widget that shows them."""
