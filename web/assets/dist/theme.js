(()=>{try{let e=localStorage.getItem("dogear-theme");e&&(document.documentElement.dataset.theme=e)}catch{}})();
